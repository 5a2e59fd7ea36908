/** What goes between a control plane and its nodes: no class, so that a node loads nothing that checks the control API's input. */
export type {
  ExamineAsk,
  ExamineOutcome,
  FeedMessage,
  NodeAnswer,
  NodeStandings,
  PartsAsk,
  NodeProviderReport,
  NodeStatus,
  ProbeAnswer,
  ProbeOutcome,
  ProbeRequest,
  NodeAuthorizerReport,
  TriedAuthorizer,
  TryAuthorizerAsk,
  SightingReport,
} from './messages.js';
export { TIME_CLASSES, timeClass, timeWithin } from './call-times.js';
export { checkSettingNames, originAt, SETTING_NAMES } from './settings.js';
export { CALLER_HEADER, FEED_VERSION, PROBE_HEADER, REQUEST_ID_HEADER } from './messages.js';
