import { describePointer, explain, STEP_NAMES, type ReleaseDocument, type StepTrace } from '@virga/core';
import type { RuleView, StepView } from '@virga/protocol';

/** What the parts of an API and of an operation are called. */
const PARTS: Readonly<Record<string, string>> = {
  fence: 'from where it may be called at all',
  addresses: 'from where it may be called',
  conditions: 'conditions',
  authorizers: 'authorizers',
  access: 'who may call',
  token: 'token checks',
  schemes: 'security schemes',
  message: 'what bodies may be',
  headers: 'changes of headers',
  modes: 'modes of the checks',
  cors: 'CORS',
  upstream: 'upstream',
  enabled: 'switched on or off',
};

/** Steps of a trace in words, made by the code that made the codes. @param document the release that decided, where it is at hand */
export function explainSteps(steps: readonly StepTrace[], document: ReleaseDocument | null): StepView[] {
  return steps.map(({ step, outcome, mode = 'enforce', rule, code, operands, tookUs }) => {
    const said = explain(code, operands, mode);
    return {
      step,
      name: STEP_NAMES[step],
      outcome,
      mode,
      rule: document === null || rule === null || rule === undefined ? null : ruleView(document, rule),
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

/** A rule by its pointer; null where the release has no such rule. */
function ruleView(document: ReleaseDocument, pointer: string): RuleView | null {
  const place = describePointer(document, pointer);
  if (place?.apiId === '') return { pointer, apiId: '', operationId: null, part: 'fence', calls: '', words: `The gateway: ${PARTS['fence'] ?? ''}` };
  const api = place && document.apis.find(({ id }) => id === place.apiId);
  if (!place || !api) return null;
  const operation = api.operations.find(({ id }) => id === place.operationId);
  const part = place.member[0] ?? '';
  const of = operation ? `${api.name}, ${operation.method} ${operation.path}` : `${api.name}, for all its operations`;
  const { apiId, operationId } = place;
  const calls = part === 'authorizers' ? ((operation?.authorizers ?? api.authorizers)[Number(place.member[1])] ?? '') : '';
  return { pointer, apiId, operationId, part, calls, words: part === '' ? of : `${of}: ${PARTS[part] ?? part}` };
}
