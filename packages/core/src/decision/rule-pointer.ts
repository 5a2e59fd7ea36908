import { CONTRACT_PARTS, type ContractPart } from '../document/contract-rule.js';
import type { MessageRule } from '../document/message-rule.js';
import type { TokenRule } from '../document/token-rule.js';
import type { StepId } from '../verdict/code-entry.js';
import type { Code, Finding } from '../verdict/codes.js';
import { pointerToken } from '../util/json-pointer.js';
import type { CompiledOperation } from './compiled.js';
import type { Exchange, StepRecord } from './exchange.js';

/** Codes that one member of the token rule decided. */
const MEMBERS: Readonly<Partial<Record<Code, keyof TokenRule>>> = {
  'credential.missing-elsewhere': 'places',
  'credential.other-scheme': 'places',
  'credential.in-query': 'places',
  'token.type-wrong': 'type',
  'token.audience-missing': 'audiences',
  'token.audience-wrong': 'audiences',
  'token.expired': 'leewaySeconds',
  'token.not-yet-valid': 'leewaySeconds',
  'token.issued-in-future': 'leewaySeconds',
  'token.encrypted': 'decryptionSecret',
  'token.secret-missing': 'decryptionSecret',
  'token.decryption-failed': 'decryptionSecret',
  'claims.client': 'clients',
  'claims.too-old': 'maxAgeSeconds',
  'claims.missing': 'claims',
  'claims.value': 'claims',
  'claims.step-up': 'stepUp',
  'proof.nonce': 'dpopNonce',
  'proof.not-bound': 'dpop',
};

/** The member of the rule about bodies that a step looks at. */
const BODY_MEMBERS: Readonly<Partial<Record<StepId, keyof MessageRule>>> = { type: 'contentTypes', size: 'requestBytes', answer: 'answerBytes' };

/** Steps whose rule is the one about who may call. */
const BY_ACCESS: ReadonlySet<StepId> = new Set(['credential', 'token', 'key', 'basic', 'certificate', 'rights']);

/**
 * The rule that decided a step, as a pointer (RFC 6901) into the release document; null where no rule of the document did,
 * as for messages, or for facts that are no part of a release.
 */
export function rulePointer({ api, operation, plan, counted }: Exchange, { step, finding }: StepRecord): string | null {
  if (step === 'upstream') return api ? `${api.pointer}/upstream` : null;
  if (step === 'fence') return '/fence/addresses';
  if (step === 'preflight') return api ? `${api.pointer}/cors` : null;
  if (!operation || !api) return finding.code === 'route.api-off' && api ? `${api.pointer}/enabled` : null;
  if (step === 'route') return operation.pointer;
  if (step === 'lane-up' || step === 'lane-back') return `${api.pointer}/headers`;
  if (step === 'address') return `${operation.rule.addresses === null ? api.pointer : operation.pointer}/addresses`;
  if (step === 'condition') return conditionPointer(operation, api.pointer, finding);
  if (step === 'authorizer') return authorizerPointer(operation, api.pointer, finding);
  if (step === 'guess') return '/guessing';
  if (step === 'plan') return plan?.pointer ?? `${operation.rule.plan === null ? api.pointer : operation.pointer}/plan`;
  if (step === 'limit') return limitPointer(counted, finding);
  if (step === 'sensitive' || step === 'sensitive-body' || step === 'sensitive-fields' || step === 'sensitive-answer') return `${api.pointer}/sensitive`;
  const part = CONTRACT_PARTS.find((one) => one === step);
  if (part !== undefined) return contractPointer(operation, api.pointer, part);
  if (step === 'contract') return `${api.pointer}/contractHash`;
  const message = BODY_MEMBERS[step];
  if (message !== undefined) return rule(operation, api.pointer, 'message', message);
  const member = MEMBERS[finding.code];
  if (member !== undefined) return rule(operation, api.pointer, 'token', member);
  if (BY_ACCESS.has(step)) return operation.rule.access === null ? `${api.pointer}/access` : `${operation.pointer}/access`;
  return step === 'proof' ? rule(operation, api.pointer, 'token', 'dpop') : null;
}

/** The limit that a finding speaks of; null where it speaks of none. */
function limitPointer(counted: Exchange['counted'], { operands }: Finding): string | null {
  return ('limit' in operands && counted?.limits.find(({ name }) => name === operands.limit)?.pointer) || null;
}

/** The mode of a part of the contract, where it was set. */
function contractPointer({ rule: own, pointer }: CompiledOperation, api: string, part: ContractPart): string {
  return `${own.contract?.parts?.[part] === undefined ? api : pointer}/contract/parts/${part}`;
}

/** The condition among those of the API, or of the operation where that has its own: names stand once in a list. */
function conditionPointer(operation: CompiledOperation, api: string, { operands }: Finding): string {
  const own = operation.rule.conditions;
  const index = 'name' in operands ? operation.conditions.findIndex(({ name }) => name === operands.name) : -1;
  return `${own === null ? api : operation.pointer}/conditions${index < 0 ? '' : `/${index}`}`;
}

/** The authorizer among those that the API or the operation calls. */
function authorizerPointer(operation: CompiledOperation, api: string, { operands }: Finding): string {
  const index = 'name' in operands ? operation.authorizers.findIndex((name) => name === operands.name) : -1;
  return `${operation.rule.authorizers === null ? api : operation.pointer}/authorizers${index < 0 ? '' : `/${index}`}`;
}

/** A member of a rule of the API, or of the operation where that has its own. */
function rule(operation: CompiledOperation, api: string, part: 'token' | 'message', member: string): string {
  const own = operation.rule[part];
  return `${own && Object.hasOwn(own, member) ? operation.pointer : api}/${part}/${pointerToken(member)}`;
}
