import 'reflect-metadata';
export { AccessDto, AlternativeDto, RequirementDto, SCOPE_PATTERN } from './control/access.js';
export {
  ApiPatch,
  ApiSummary,
  ApiView,
  ContractChangeView,
  ContractProblemView,
  ContractReading,
  ContractSourceInput,
  ContractText,
  CorsDto,
  ImportInput,
  ImportView,
  OperationView,
  OperationsPatch,
  ReimportInput,
  ReimportView,
  ResourceDto,
  SchemeDto,
  ScopeDto,
  TokenRuleDto,
  UpstreamDto,
} from './control/apis.js';
export { ComparisonView, HeaderView, StepView } from './control/explanations.js';
export { ApiList, NodeList, OperationList, PersonaList, ProviderList, ReleaseList } from './control/lists.js';
export { AttentionItem, AttentionView, FallLayer, FallQuery, FallReason, FallSlice, FallView } from './control/overlook.js';
export { PersonaInput, PersonaView, SignInStart, TokenStanding, TokenView } from './control/personas.js';
export { ProbeAnswerView, ProbeHeaderDto, ProbeInput, ProbeView } from './control/probe.js';
export { FieldProblem, ProblemDocument } from './control/problem.js';
export {
  DiscoverInput,
  DiscoveryAttemptView,
  DiscoveryView,
  KeyView,
  ProviderInput,
  ProviderPatch,
  ProviderView,
  RefusedKeyView,
} from './control/providers.js';
export { NodeView, PublishInput, PublishView, ReleaseChangeView, ReleaseSummary, ReleaseView, StandingView } from './control/releases.js';
export { SessionView, SignInInput } from './control/session.js';
export { RetentionDto } from './control/settings.js';
export { SamplingView, TracePage, TraceQuery, TraceSummary, TraceView } from './control/traces.js';
export type { FeedMessage, NodeAnswer, NodeProviderReport, NodeStatus, ProbeAnswer, ProbeOutcome, ProbeRequest } from './node/messages.js';
export { PROBE_HEADER, REQUEST_ID_HEADER } from './node/messages.js';
