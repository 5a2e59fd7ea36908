export { ConfigError, unreachable } from './util/config-error.js';
export { canonicalJson } from './util/canonical-json.js';
export { isRecord, pointerOf, pointerParts, valueAt } from './util/json-pointer.js';
export type { AccessRule, Alternative, RuleOrigin, SchemeRequirement } from './document/access-rule.js';
export { ALGORITHMS, PUBLIC_KEY_ALGORITHMS, isAlgorithm, type Algorithm, type AlgorithmFacts } from './document/algorithms.js';
export {
  RELEASE_FORMAT,
  SCHEME_TYPES,
  takesTokens,
  type ApiRule,
  type CertificateHeaderRule,
  type CorsRule,
  type OperationRule,
  type ReleaseDocument,
  type ResourceRule,
  type SchemeRule,
  type SchemeType,
  type UpstreamRule,
  emptyDocument,
} from './document/release-document.js';
export { BEARER_HEADER, tokenRule, type ClaimDemand, type StepUpRule, type TokenOverride, type TokenPlace, type TokenRule } from './document/token-rule.js';
export {
  takesOpaqueTokens,
  type EndpointCredential,
  type OpaqueSource,
  type OpaqueTokens,
  type ProviderRule,
  type ProviderSource,
  type PublishedKey,
} from './document/provider-rule.js';
export {
  MAPPED_MEMBERS,
  sourceOf,
  STANDARD_CLAIM_MAP,
  type AttributeSource,
  type ClaimMap,
  type ClaimSource,
  type ClaimTranslation,
  type MappedMember,
} from './document/claim-map.js';
export { ENFORCED, MODED_CHECKS, modeOf, observedChecks, type CheckMode, type ModedCheck, type ModeRule } from './document/modes.js';
export {
  ANY_MESSAGE,
  BODY_BYTES,
  CALLER_MEMBERS,
  NO_LANES,
  type CallerMember,
  type HeaderEdit,
  type HeaderLanes,
  type HeaderValue,
  type MessageOverride,
  type MessageRule,
} from './document/message-rule.js';
export {
  ANSWER_PARTS,
  CONTRACT_BODY_BYTES,
  CONTRACT_MODES,
  CONTRACT_PARTS,
  NO_CONTRACT,
  contractInForce,
  looksAtContract,
  type ContractMode,
  type ContractOverride,
  type ContractPart,
  type ContractRule,
} from './document/contract-rule.js';
export { MOST_UNMATCHED, UNMATCHED_MODES, unmatchedRule, type UnmatchedMode, type UnmatchedRule } from './document/unmatched-rule.js';
export { partWords } from './verdict/contract-codes.js';
export { NO_TEXT, readTypedJson } from './util/read-json.js';
export { unseenIn } from './util/unseen.js';
export { ContractSource, namesOf, splitContract, PartedContract, wholeContract, type PartTexts } from './contract/check/contract-source.js';
export { operationContract, type OperationContract } from './contract/check/operation-contract.js';
export { contractFaults } from './contract/contract-faults.js';
export { asOpenApi31 } from './contract/as-openapi-31.js';
export { acceptDeviation, editContract, type Acceptance, type ContractEdit } from './contract/accept-deviation.js';
export type { Deviation } from './contract/check/deviation.js';
export type { SchemaNames } from './schema/schema-set.js';
export type { ContractStore } from './decision/ports.js';
export type { BodyContent, SeenAnswer } from './decision/exchange.js';
export type { BodyNeed } from './decision/phases.js';
export { isMediaRange } from './message/media-type.js';
export { foldName } from './message/field-spelling.js';
export type { CompiledLane } from './shape/header-lane.js';
export { AS_ITS_API, NOTHING_MORE } from './document/plain-rules.js';
export { ADDRESS_BOUNDS, ANYWHERE, NO_FENCE, type AddressRule, type CallerAddressRule, type FenceRule, type NetworkRule } from './document/address-rule.js';
export { CONDITION_BOUNDS, type ConditionRule, type ConditionUse } from './document/condition-rule.js';
export {
  AUTHORIZER_ANSWERS,
  AUTHORIZER_BOUNDS,
  CACHE_KEY_PARTS,
  SCRIPT_DEFAULTS,
  WHO_PARTS,
  WIDEST_KEY,
  type AnswerCacheRule,
  type AuthorizerCase,
  type AuthorizerRule,
  type AuthorizerSays,
  type CacheKeyPart,
  type ScriptSource,
  type ServiceCredential,
  type ServiceQuestion,
  type ServiceSource,
} from './document/authorizer-rule.js';
export { AnswerMemory } from './authorizer/answer-memory.js';
export type { AuthorizerCall, Authorizers, NotAsked, ScriptCallee, ServiceReply } from './authorizer/ask.js';
export { hiddenBy } from './authorizer/cache-key.js';
export { checkScript } from './authorizer/check-script.js';
export { completeScript } from './authorizer/complete-script.js';
export { isCovered } from './authorizer/read-answer.js';
export { localScripts } from './authorizer/local-scripts.js';
export { interpreters } from './authorizer/load-interpreter.js';
export { SandboxShelf } from './authorizer/sandbox-shelf.js';
export { SCRIPT_SLOWEST, ScriptSandbox, type ScriptCall, type ScriptRun } from './authorizer/script-sandbox.js';
export { runCases, type CaseOutcome } from './decision/run-case.js';
export { compileCondition, type CompiledCondition, type ConditionResult } from './condition/compile-condition.js';
export { bodyMembers, joinMembers, type BodyMember } from './contract/body-members.js';
export { describedParameters, joinParameters, PARAMETER_PLACES, type DescribedParameter, type ParameterPlace } from './contract/described-parameters.js';
export { againstContract, type AgainstContract } from './condition/against-contract.js';
export { completeCondition, type ConditionWord, type ConditionWords } from './condition/complete-condition.js';
export { placeIn, type ConditionFault } from './condition/condition-fault.js';
export { inputOf, OPEN_SCOPE, type ConditionScope } from './condition/condition-input.js';
export { typeName, type ConditionType } from './condition/condition-type.js';
export { describeCondition } from './condition/describe-condition.js';
export { sampleValues, tryCondition, type TriedCondition } from './condition/try-condition.js';
export { conditionScope } from './release/condition-scope.js';
export { AddressSet, plainAddress } from './address/address-set.js';
export { compileCallerAddress, type CallerAddress, type FindCallerAddress } from './address/caller-address.js';
export { compileAddresses } from './decision/address-step.js';
export { describeAddresses, reviewAddresses, type AddressNote } from './address/describe-addresses.js';
export { readEntry, readIp, writeIp } from './address/ip.js';
export { METHOD_NAMES } from './document/method-names.js';
export { CALLER_FIELDS, type CallerFields } from './document/caller-fields.js';
export { UPSTREAM_LIMIT_RANGES, UPSTREAM_LIMITS, type UpstreamLimits } from './document/upstream-limits.js';
export { checkAddresses } from './release/check-addresses.js';
export { checkDocument } from './release/check-document.js';
export { readDocument, upgradeDocument } from './release/read-document.js';
export { CredentialMemory } from './credential/digest-memory.js';
export { joinDocument, MAX_PARTS, PART_OPERATIONS, partsNamed, splitDocument, type CarriedDocument, type SplitDocument } from './release/document-parts.js';
export { describeFallLine, type DescribedCheck, type SetAt } from './release/describe-fall-line.js';
export { listChanges, revertChanges, type ChangePlace, type DocumentChange, type Reverted } from './release/document-changes.js';
export { describePointer, type RulePlace } from './release/describe-pointer.js';
export { Directory } from './directory/directory.js';
export { faultOfNewTable, isTableName, TABLE_BOUNDS, type TableFact, type TableRows } from './directory/table-fact.js';
export {
  CREDENTIAL_KINDS,
  providerClient,
  type ClientFact,
  type CredentialFact,
  type CredentialKind,
  type DirectoryChange,
  type DirectorySource,
  type Holder,
} from './directory/facts.js';
export { readChanges } from './directory/read-facts.js';
export { SUBSCRIPTION_STATES, type SubscriptionFact, type SubscriptionState } from './directory/subscription.js';
export {
  LIMIT_METHODS,
  LIMIT_RANGES,
  LIMIT_SUBJECTS,
  NO_GUESSING,
  USUAL_COUNTING,
  type CountingRule,
  type GuessingRule,
  type LimitMethod,
  type LimitRule,
  type LimitSubject,
} from './document/limit-rule.js';
export { NO_PLAN, PLAN_RANGES, QUOTA_SPANS, type PlanCover, type PlanRule, type PlanUse, type QuotaSpan } from './document/plan-rule.js';
export type { Counted, Counters, Demand, Hold, Measure, Standing, Uncounted } from './limit/counters.js';
export { standingOf } from './limit/measures.js';
export { subjectsOfClient, type KnownClient, type RecalledRequest } from './limit/subjects-of-client.js';
export { whenThere, type Awaitable } from './util/awaitable.js';
export { FreshCounters, type LocalCounters } from './limit/unshared-counters.js';
export { MemoryCounters, MOST_SUBJECTS, type KeptQuota } from './limit/memory-counters.js';
export { compilePlan, type CompiledLimit, type CompiledPlan } from './limit/compile-plan.js';
export { describeLimit, describePlan, subjectWords } from './limit/describe-limit.js';
export { compileLimits } from './limit/compile-limits.js';
export { isZone } from './limit/calendar-span.js';
export { KEY_PREFIX, keyForm, writeKey } from './credential/key-form.js';
export { BROUGHT_KEY, faultOfBroughtKey } from './credential/key-strength.js';
export { findLeaked, LEAK_BOUNDS, type LeakedTexts } from './credential/find-leaked.js';
export { faultOfNewMetadata, METADATA_BOUNDS, NO_METADATA } from './directory/client-metadata.js';
export { readBasic } from './credential/read-basic.js';
export type { Credential, SentCredential } from './credential/sent-credential.js';
export type { Caller } from './credential/caller.js';
export { rulePointer } from './decision/rule-pointer.js';
export { compileInSteps, compileRelease } from './release/compile-release.js';
export { diffReleases, type ReleaseChange } from './release/diff-releases.js';
export { describeAccess } from './access/describe-access.js';
export { readTemplate } from './route/path-template.js';
export { MAX_TARGET_LENGTH, readPath, type ReadPath } from './route/read-path.js';
export { LATER_PHASES, type LaterPhase, type Needs } from './decision/phases.js';
export { rateFields } from './decision/rate-fields.js';
export { decide, decideBody, decideContent, decidePhase, decideFence, type Verdict } from './decision/decide.js';
export { answerOf, type AnswerContext, type GatewayAnswer } from './decision/answer.js';
export { corsHeaders } from './decision/preflight-step.js';
export { resourceMetadata } from './decision/resource-metadata.js';
export {
  endingOf,
  Exchange,
  whoCalls,
  type Asked,
  type Ending,
  type RequestOutcome,
  type HeaderFields,
  type SeenBody,
  type StepRecord,
} from './decision/exchange.js';
export type { CompiledApi, CompiledOperation, CompiledRelease } from './decision/compiled.js';
export { closedPorts, type NonceSource, type Ports, type SecretSource } from './decision/ports.js';
export { TokenCache } from './token/token-cache.js';
export { LocalReplayMemory, type Replay, type ReplayMemory } from './proof/replay-memory.js';
export { verifyProof, type ProofFacts, type VerifiedProof } from './proof/dpop-proof.js';
export { type Introspection, type IntrospectionAnswer, type OpaqueProvider } from './token/introspection.js';
export { REVOCATION_KINDS, Revocations, type Revocation } from './token/revocations.js';
export { compileClaimMap } from './provider/compile-claim-map.js';
export type { Principal } from './token/principal.js';
export { readKey, readKeySet, type ReadKeySet, type RefusedKey } from './provider/read-key-set.js';
export { issuerProblem, readDiscovery, wellKnownUrls, type Discovery, type DiscoveryProblem } from './provider/read-discovery.js';
export type { HeldKeys, KeySource, TrustedProvider } from './token/verify-token.js';
export type { VerifiedToken } from './token/verified-token.js';
export { checkClaims } from './token/check-claims.js';
export { shorten, verifyToken } from './token/verify-token.js';
export { verifySignature, WEB_SIGNATURES, type SignaturePlatform, type VerificationKey } from './token/verify-signature.js';
export { readPart, readToken, TOKEN_BUDGET, UnreadToken, type JsonObject, type ReadToken } from './token/read-token.js';
export { HEADER_CHECKS, unreadFinding, vouched } from './token/verify-token.js';
export { TOKEN_CHECKS } from './token/check-claims.js';
export { readOpeningKeys } from './token/open-encrypted.js';
export { MAX_LEEWAY_SECONDS } from './token/verify-token.js';
export { CODES, entryOf, finding, isCode, type Code, type Finding } from './verdict/codes.js';
export {
  outcomeOf,
  STEPS,
  STEP_NAMES,
  type CodeEntry,
  type Comparison,
  type Operand,
  type Operands,
  type Said,
  type StepId,
  type StepOutcome,
} from './verdict/code-entry.js';
export { explain, type Explanation } from './verdict/explain.js';
export { compileRedactor, redactHeader, redactText, type Redactor } from './record/redact.js';
export { isSecretName } from './util/secret-names.js';
export { explainRule, explainSteps, type ExplainedRule, type ExplainedStep } from './release/explain-steps.js';
export { stepTraceOf } from './reach/step-trace.js';
export type { ClientUse, CredentialUse, RecordBatch, StepCount, StepTrace, TracedCaller, TraceRecord, TrafficCount } from './record/trace-record.js';
export { readContract, type ReadContract } from './contract/read-contract.js';
export type { ContractProblem } from './contract/problem.js';
export { listOperations, type ContractOperation, type ListedContract } from './contract/list-operations.js';
export { diffContracts, operationKey, type ContractChange } from './contract/diff-contracts.js';
export { examine, type CheckReport, type Examination, type ExamineRequest } from './bench/examine.js';
export { CHECK_NAMES, type CheckId } from './bench/check-words.js';
export { describe as describePasted, PASTE_LIMIT, recognise, type PastedItem, type PastedKind } from './bench/recognise.js';
export { CLAIM_WORDS, HEADER_WORDS, TIME_CLAIMS } from './bench/claim-words.js';
export { compareTokens, type TokenDifference } from './bench/compare-tokens.js';
export { tamper, type TamperedToken, type TamperTools } from './bench/tamper.js';
export { stranger } from './bench/stranger.js';
export { ANY_REQUEST, hasBody, pathOf, type SupposedRequest } from './suppose/supposed-request.js';
export {
  CALLER_KINDS,
  NOTHING_KNOWN,
  type CallerKind,
  type KnownCredential,
  type KnownFacts,
  type SupposedCaller,
  type SupposedCredential,
  type SupposedToken,
} from './suppose/supposed-caller.js';
export { Supposition, type SupposedCall, type SupposedOutcome, type SupposedWorld } from './suppose/supposition.js';
export type { Unknown } from './suppose/stand-in.js';
export { Reach, type ExplainedCell, type ReachCell } from './reach/reach.js';
export {
  callersAt,
  cellsDiffer,
  compareReach,
  reachesMore,
  reachOf,
  reachTable,
  type ReachComparison,
  type ReachOperation,
  type ReachSettings,
  type ReachTable,
} from './reach/reach-table.js';
export { describedCallers, describedToken, NOBODY } from './reach/described-callers.js';
export { askCall, type CallAnswer, type CallQuestion } from './reach/ask-call.js';
export { whatHolds, type Held } from './reach/what-holds.js';
export { hangsOn, letThrough, SEARCH_BOUNDS, type LetThrough } from './reach/let-through.js';
export { CHANGE_KINDS, type ChangeKind } from './reach/change.js';
export { runTrials, type TrialWorld } from './trial/run-trials.js';
export { MAX_TRIAL_BODY, type SavedTrial } from './trial/saved-trial.js';
export type { TrialOutcome, TrialReport, TrialResult } from './trial/trial.js';
export { writeJUnit } from './trial/write-report.js';
export { newlyEnforced, type NewlyEnforced } from './release/newly-enforced.js';
export { sentAttacks, type SentAttack } from './trial/sent-attacks.js';

export { NO_LEARNING, LEARNED_ANSWERS, learnsFrom, type LearnedAnswers, type LearningRule } from './document/learning-rule.js';
export {
  MOST_DETECTORS,
  NOTHING_SENSITIVE,
  SENSITIVE_ACTIONS,
  type DetectorRule,
  type SensitiveAction,
  type SensitiveRule,
  type SensitiveUse,
} from './document/sensitive-rule.js';
export { DETECTORS, detectorFinder } from './sensitive/detectors.js';
export { DETECTOR_GROUPS, type Detector, type DetectorGroup } from './sensitive/detector.js';
export { isExpectedHeader } from './sensitive/expected-headers.js';
export { patternFault } from './sensitive/own-detector.js';
export { scanForm, scanJsonText, scanText, type Hit, type Scanned } from './sensitive/scan.js';
export { mediaTypeOf } from './message/media-type.js';
export { formPairs, textOfBody, type BodyText } from './sensitive/text-of-body.js';
export { PathLearner, learnedKey, isParameter, plainTemplate, type LearnedEntry } from './learn/path-learner.js';
export { joinOperations, newOperation, sawRequest, type SeenOperation, type SeenParameter } from './learn/seen-operation.js';
export { schemaOf, typesOf, requiredMembers, type SeenShape } from './learn/seen-shape.js';
export type { SeenText, Sighting } from './learn/sighting.js';
export type { Evidence } from './learn/evidence.js';
export { pack, unpack } from './learn/pack.js';
export { describeLearned, learnedDocument, type DescribedOperation } from './learn/learned-document.js';
export { evidenceRows, type EvidenceRow } from './learn/evidence-rows.js';
export { enforcedContract, SECURITY_KINDS, securityGaps, type LimitingRules, type SecurityGap, type SecurityKind } from './contract/enforced-contract.js';
export { templateShape } from './contract/diff-contracts.js';
export { leaveOut, mergeLearned, type Merge } from './learn/merge-learned.js';
export { driftOf, DRIFT_KINDS, type Drift, type DriftKind } from './learn/drift.js';
export { acceptDrift } from './learn/accept-drift.js';
export type { LearnedBatch } from './learn/learned-batch.js';
export { scanPairs, scanPath } from './sensitive/scan-head.js';
export { FINDING_SIDES, joinFindings, SeenFindings, type FindingSide, type SeenFinding } from './sensitive/seen-findings.js';
export {
  referenceIndex,
  referenceOperation,
  type ReferenceAnswer,
  type ReferenceBody,
  type ReferenceGroup,
  type ReferenceIndex,
  type ReferenceOperation,
  type ReferenceParameter,
  type SchemaLine,
} from './contract/reference.js';
export { offeredChanges, type OfferedDifference } from './contract/offered-changes.js';
