import type { CheckMode } from '../document/modes.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { describePointer } from './describe-pointer.js';
import { STEP_NAMES, type Comparison, type StepId, type StepOutcome } from '../verdict/code-entry.js';
import { explain } from '../verdict/explain.js';
import type { StepTrace } from '../record/trace-record.js';

/** A rule of a release, for a link to where it is edited. */
export interface ExplainedRule {
  readonly pointer: string;
  /** Empty for a rule of the gateway. */
  readonly apiId: string;
  readonly operationId: string | null;
  /** The part of the API or operation; empty for the whole. */
  readonly part: string;
  /** The authorizer that the rule calls; empty for other rules. */
  readonly calls: string;
  readonly words: string;
}

/** One step of a decision in words. */
export interface ExplainedStep {
  readonly step: StepId;
  readonly name: string;
  readonly outcome: StepOutcome;
  readonly mode: CheckMode;
  readonly rule: ExplainedRule | null;
  readonly code: string;
  readonly sentence: string;
  readonly comparisons: Comparison[];
  readonly standard: string;
  readonly remedy: string;
  readonly toldStatus: number | null;
  readonly toldTitle: string | null;
  readonly tookUs: number;
}

/** What the parts of an API and of an operation are called. */
const PARTS: Readonly<Record<string, string>> = {
  fence: 'from where it may be called at all',
  guessing: 'who fails to prove itself again and again',
  limits: 'limits',
  plan: 'whether a plan is asked for',
  addresses: 'from where it may be called',
  conditions: 'conditions',
  authorizers: 'authorizers',
  access: 'who may call',
  token: 'token checks',
  schemes: 'security schemes',
  message: 'what bodies may be',
  headers: 'changes of headers',
  modes: 'modes of the checks',
  contract: 'what of the contract is checked',
  contractHash: 'contract',
  unmatched: 'paths that no operation matches',
  sensitive: 'sensitive data',
  cors: 'CORS',
  upstream: 'upstream',
  enabled: 'switched on or off',
};

/** Steps of a trace in words, made by the code that made the codes. @param document the release that decided, where it is at hand */
export function explainSteps(steps: readonly StepTrace[], document: ReleaseDocument | null): ExplainedStep[] {
  return steps.map(({ step, outcome, mode = 'enforce', rule, code, operands, tookUs }) => {
    const said = explain(code, operands, mode);
    return {
      step,
      name: STEP_NAMES[step],
      outcome,
      mode,
      rule: document === null || rule === null || rule === undefined ? null : explainRule(document, rule),
      code,
      sentence: said?.sentence ?? `The code ${code}, or what it says here, is not known to this version.`,
      comparisons: (said?.comparisons ?? []).map((item) => ({ ...item })),
      standard: said?.standard ?? '',
      remedy: said?.remedy ?? '',
      toldStatus: said?.told?.status ?? null,
      toldTitle: said?.told?.title ?? null,
      tookUs,
    };
  });
}

/** A rule of the gateway. Plans are called by their names. */
function gatewayRule(document: ReleaseDocument, pointer: string, [part = '', index]: readonly string[]): ExplainedRule {
  const plan = part === 'plans' ? document.plans[Number(index)] : undefined;
  const words = plan ? `The plan ${plan.name}` : `The gateway: ${PARTS[part] ?? part}`;
  return { pointer, apiId: '', operationId: null, part, calls: plan?.id ?? '', words };
}

/** A rule by its pointer; null where the release has no such rule. */
export function explainRule(document: ReleaseDocument, pointer: string): ExplainedRule | null {
  const place = describePointer(document, pointer);
  if (place?.apiId === '') return gatewayRule(document, pointer, place.member);
  const api = place && document.apis.find(({ id }) => id === place.apiId);
  if (!place || !api) return null;
  const operation = api.operations.find(({ id }) => id === place.operationId);
  const part = place.member[0] ?? '';
  const of = operation ? `${api.name}, ${operation.method} ${operation.path}` : `${api.name}, for all its operations`;
  const { apiId, operationId } = place;
  const calls = part === 'authorizers' ? ((operation?.authorizers ?? api.authorizers)[Number(place.member[1])] ?? '') : '';
  return { pointer, apiId, operationId, part, calls, words: part === '' ? of : `${of}: ${PARTS[part] ?? part}` };
}
