export { ConfigError, unreachable } from './util/config-error.js';
export { canonicalJson } from './util/canonical-json.js';
export { isRecord, pointerOf, pointerParts, valueAt } from './util/json-pointer.js';
export type { AccessRule, Alternative, RuleOrigin, SchemeRequirement } from './document/access-rule.js';
export { ALGORITHMS, PUBLIC_KEY_ALGORITHMS, isAlgorithm, type Algorithm, type AlgorithmFacts } from './document/algorithms.js';
export {
  RELEASE_FORMAT,
  type ApiRule,
  type CorsRule,
  type OperationRule,
  type ProviderRule,
  type ReleaseDocument,
  type ResourceRule,
  type SchemeRule,
  type TokenRule,
  type UpstreamRule,
} from './document/release-document.js';
export { METHOD_NAMES } from './document/method-names.js';
export { checkDocument } from './release/check-document.js';
export { compileRelease } from './release/compile-release.js';
export { diffReleases, type ReleaseChange } from './release/diff-releases.js';
export { describeAccess } from './access/describe-access.js';
export { readTemplate } from './route/path-template.js';
export { MAX_TARGET_LENGTH, readPath, type ReadPath } from './route/read-path.js';
export { decide, type Verdict } from './decision/decide.js';
export { answerOf, type AnswerContext, type GatewayAnswer } from './decision/answer.js';
export { corsHeaders } from './decision/preflight-step.js';
export { resourceMetadata } from './decision/resource-metadata.js';
export { Exchange, type Asked, type HeaderFields, type StepRecord } from './decision/exchange.js';
export type { CompiledApi, CompiledOperation, CompiledRelease, Ports } from './decision/compiled.js';
export type { Principal } from './token/principal.js';
export { readKey, readKeySet, type ReadKeySet, type RefusedKey } from './provider/read-key-set.js';
export { issuerProblem, readDiscovery, wellKnownUrls, type Discovery, type DiscoveryProblem } from './provider/read-discovery.js';
export type { HeldKeys, KeySource, VerifiedToken } from './token/verify-token.js';
export { checkClaims } from './token/check-claims.js';
export { shorten, verifyToken } from './token/verify-token.js';
export { verifySignature, type VerificationKey } from './token/verify-signature.js';
export { readToken, TOKEN_BUDGET } from './token/read-token.js';
export { CODES, entryOf, finding, isCode, type Code, type Finding } from './verdict/codes.js';
export { STEPS, STEP_NAMES, type CodeEntry, type Comparison, type Operands, type StepId, type StepOutcome } from './verdict/code-entry.js';
export { explain, type Explanation } from './verdict/explain.js';
export { redactHeader, redactText } from './record/redact.js';
export type { StepTrace, TraceRecord, TrafficCount, RecordBatch } from './record/trace-record.js';
export { readContract, type ReadContract } from './contract/read-contract.js';
export type { ContractProblem } from './contract/problem.js';
export { listOperations, type ContractOperation, type ListedContract } from './contract/list-operations.js';
export { diffContracts, operationKey, type ContractChange } from './contract/diff-contracts.js';
