import 'reflect-metadata';
export { mayBeLeftOut } from './may-be-left-out.js';
export { wordInstead } from './word-instead.js';
export {
  ClientStanding,
  CountingDto,
  GuessingDto,
  LimitDto,
  LimitStanding,
  LimitSubjectDto,
  LimitsPatch,
  LimitsView,
  PlanCoverDto,
  PlanInput,
  PlanList,
  PlanOpens,
  PlanQuotaDto,
  PlanRateDto,
  PlanUseDto,
  PlanView,
  SubscriptionChanged,
  SubscriptionInput,
  SubscriptionPage,
  SubscriptionPatch,
  SubscriptionQuery,
  SubscriptionView,
  limitOf,
  limitView,
  planUseOf,
} from './control/plans.js';
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
  ObservedCallerView,
  ObservedList,
  OperationsPatch,
  ReimportInput,
  ReimportView,
  ResourceDto,
  SchemeDto,
  ScopeDto,
  UpstreamDto,
  UpstreamLimitsDto,
} from './control/apis.js';
export {
  ScriptDto,
  ServicePropertyDto,
  ServiceQuestionDto,
  SignInDto,
  ServiceCredentialDto,
  ServiceDto,
  AnswerCacheDto,
  AuthorizerCaseDto,
  AuthorizerInput,
  AuthorizerUse,
  AuthorizerCost,
  AuthorizerSummary,
  AuthorizerList,
  ServiceCredentialView,
  ServiceView,
  AuthorizerView,
  TryAuthorizerInput,
  CoveredView,
  PassedHeader,
  TriedView,
  TriedList,
  AuthorizerUsesInput,
  InputOfTrace,
  CaseInputView,
  CaseResultView,
  CaseResults,
} from './control/authorizers.js';
export {
  BenchIssuerView,
  BenchTarget,
  CheckView,
  ExamineInput,
  ExamineView,
  ExchangeView,
  GrantInput,
  GrantView,
  MintInput,
  MintView,
  PkceView,
  SavedTokenInput,
  SavedTokenList,
  SavedTokenView,
  TamperRow,
  TamperView,
  type GrantKind,
} from './control/bench.js';
export {
  ClientChanged,
  ClientInput,
  ClientPage,
  ClientUseQuery,
  ClientUseView,
  USE_DAYS,
  type UseDays,
  ClientPatch,
  ClientQuery,
  ClientSummary,
  ClientView,
  CredentialInput,
  CredentialMade,
  CredentialView,
  DirectoryEffect,
  CLIENT_LIST_BOUNDS,
  ClientListInput,
  ClientListLine,
  ClientListReport,
  LeakedCredential,
  LeakInput,
  LeakReport,
  LeakRule,
  LeakRuleView,
  RotationInput,
  ScannerMade,
} from './control/clients.js';
export { EditPage, EditQuery, EditView } from './control/edits.js';
export { OperationCheckView, OperationPage } from './control/fall-line.js';
export { TableChanged, TableInput, TableList, TableSummary, TableView } from './control/tables.js';
export {
  ConditionDto,
  ConditionScopeView,
  ConditionsPatch,
  ConditionSubject,
  ConditionsView,
  ConditionUseDto,
  conditionUseOf,
  conditionUseView,
} from './control/conditions.js';
export {
  AddressAnswer,
  AddressesPatch,
  AddressesView,
  AddressQuestion,
  AddressRuleDto,
  addressRuleOf,
  addressRuleView,
  AddressVerdict,
  CallerAddressDto,
  FenceDto,
  fenceOf,
  NetworkDto,
} from './control/addresses.js';
export { HeaderEditDto, HeaderLanesDto, HeaderValueDto, lanesOf, MessageDto, MessageOverrideDto } from './control/message.js';
export {
  AcceptInput,
  AcceptView,
  ContractPartCount,
  ContractPartsDto,
  ContractPlaceView,
  ContractRuleDto,
  ContractStanding,
  ContractStandingList,
  UnmatchedDto,
  ViolationList,
  ViolationView,
} from './control/contract-rule.js';
export { CheckModesDto, ModesDto } from './control/modes.js';
export { ComparisonView, HeaderView, RuleView, StepView } from './control/explanations.js';
export { ApiList, NodeList, OperationList, PersonaList, ProviderList, ReleaseList } from './control/lists.js';
export { AttentionItem, AttentionView, FallLayer, FallQuery, FallReason, FallSlice, FallView } from './control/overlook.js';
export { PersonaInput, PersonaView, SignInStart, TokenStanding, TokenView } from './control/personas.js';
export { ProbeAnswerView, ProbeHeaderDto, ProbeInput, ProbeView } from './control/probe.js';
export { FieldProblem, PartVersion, ProblemDocument } from './control/problem.js';
export {
  AttributeSourceDto,
  ClaimMapDto,
  ClaimSourceDto,
  ClaimTranslationDto,
  DiscoverInput,
  DiscoveryAttemptView,
  DiscoveryView,
  KeyView,
  ProviderComparison,
  ProviderDifference,
  ProviderInput,
  ProviderPatch,
  ProviderSourceDto,
  ProviderSourceView,
  ProviderView,
  RefusedKeyView,
  type SourceKind,
} from './control/providers.js';
export { NodeView, PublishInput, PublishView, ReleaseChangeView, ReleaseSummary, ReleaseView, StandingView } from './control/releases.js';
export { SessionView, SignInInput } from './control/session.js';
export { RevocationInput, RevocationList, RevocationView } from './control/revocations.js';
export { CertificateHeaderDto, RetentionDto } from './control/settings.js';
export { ALL_ALGORITHMS, ClaimDemandDto, StepUpDto, TokenOverrideDto, TokenPlaceDto, TokenRuleDto } from './control/token-rule.js';
export { SamplingView, TracePage, TraceQuery, TraceSummary, TraceView } from './control/traces.js';
export type {
  ExamineAsk,
  ExamineOutcome,
  FeedMessage,
  NodeAnswer,
  NodeStanding,
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
} from './node/messages.js';
export { TIME_CLASSES, timeClass, timeWithin } from './node/call-times.js';
export { FEED_VERSION, PROBE_HEADER, REQUEST_ID_HEADER } from './node/messages.js';
export { PastedInput, PastedView, type ReachFacts, type ReachKeys } from './control/reach.js';
export { SavedTrialInput, SavedTrialList, SavedTrialView, TrialCallDto, TrialOutcomeView, TrialReportView, TrialsKept } from './control/trials.js';
export { DetectorDto, DetectorsPatch, LearningDto, SensitiveRuleDto, SensitiveUseDto } from './control/watching.js';
export {
  CallerCount,
  DetectorView,
  SensitiveApiView,
  SensitiveFindingView,
  SensitiveView,
  TriedDetectors,
  TriedHit,
  TryDetectorsInput,
} from './control/sensitive.js';
export {
  DriftList,
  DriftView,
  EvidenceView,
  INVENTORY_KINDS,
  InventoryApi,
  InventoryItem,
  InventoryView,
  LearnedKeyInput,
  LearnedView,
  ReviewInput,
  ReviewView,
  SecurityGapView,
  type InventoryKind,
} from './control/inventory.js';
export {
  ReferenceAnswerView,
  ReferenceAttempt,
  ReferenceBodyView,
  ReferenceEntry,
  ReferenceGroupView,
  ReferenceLine,
  ReferenceOperationView,
  ReferenceParameterView,
  ReferenceSchemaLine,
  ReferenceView,
} from './control/reference.js';
