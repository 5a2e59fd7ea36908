import { STEP_NAMES, STEPS, type StepId } from '@virga/core';
import { took } from '@virga/parts';
import type { StepView } from '@virga/protocol';
import { Mark, markOf } from './mark';

/** Steps that every request has in its way; the others show only when something happened there. */
const ALWAYS: readonly StepId[] = ['route', 'credential', 'rights', 'upstream'];

/** One request as a line through its checks; it ends where the request ended, and what it did not reach stays pale. */
export function FallLine({
  steps,
  chosen,
  onChoose,
}: {
  readonly steps: readonly StepView[];
  readonly chosen?: StepView | null;
  readonly onChoose: (step: StepView) => void;
}) {
  const answered = steps.some((step) => step.outcome === 'refuse' || step.step === 'preflight');
  const taken = new Set(steps.map((step) => step.step));
  const last = Math.max(...steps.map((step) => STEPS.indexOf(step.step)), -1);
  const unreached = ALWAYS.filter((step) => !taken.has(step) && (answered ? STEPS.indexOf(step) > last : step === 'upstream'));
  return (
    <ol className="fall-line">
      {steps.map((step, index) => (
        <li key={`${step.step} ${index}`} className={step.outcome === 'refuse' ? 'ended' : ''}>
          <span className="took">{step.tookUs > 0 && took(step.tookUs)}</span>
          <span className="spot">
            <Mark kind={markOf(step.outcome)} size={17} />
          </span>
          <button className={chosen === step ? 'open' : ''} onClick={() => onChoose(step)} aria-label={`${step.name}: ${step.sentence} Why`}>
            <b>{step.name}</b>
            <div className="said">{step.sentence}</div>
          </button>
        </li>
      ))}
      {unreached.map((step) => (
        <li key={step} className="unreached">
          <span className="took" />
          <span className="spot">
            <Mark kind="skipped" size={17} word="not reached" />
          </span>
          <div style={{ padding: '0 6px' }}>
            <b>{STEP_NAMES[step]}</b>
            <div className="said">{step === 'upstream' ? 'not called' : 'not reached'}</div>
          </div>
        </li>
      ))}
    </ol>
  );
}
