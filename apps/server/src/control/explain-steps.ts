import { explain, STEP_NAMES, type StepTrace } from '@virga/core';
import type { StepView } from '@virga/protocol';

/** Steps of a trace in words, made by the code that made the codes. */
export function explainSteps(steps: readonly StepTrace[]): StepView[] {
  return steps.map(({ step, outcome, code, operands, tookUs }) => {
    const said = explain(code, operands);
    return {
      step,
      name: STEP_NAMES[step],
      outcome,
      code,
      sentence: said?.sentence ?? `The code ${code} is not known to this version.`,
      comparisons: (said?.comparisons ?? []).map((item) => ({ ...item })),
      standard: said?.standard ?? '',
      remedy: said?.remedy ?? '',
      toldStatus: said?.told?.status ?? null,
      toldTitle: said?.told?.title ?? null,
      tookUs,
    };
  });
}
