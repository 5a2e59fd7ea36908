import type { StepView } from '@virga/protocol';
import { createContext, useContext, useEffect, useMemo, useState, type ReactNode } from 'react';

/** What a verdict is explained with; `link` leads to the rule that decided. */
export interface WhyFacts {
  readonly step: StepView;
  readonly link?: ReactNode;
}

interface WhyState {
  readonly facts: WhyFacts | null;
  show(facts: WhyFacts | null): void;
}

export const WhyContext = createContext<WhyState>({ facts: null, show: () => undefined });

export function useWhyState(): WhyState {
  const [facts, setFacts] = useState<WhyFacts | null>(null);
  return useMemo(() => ({ facts, show: setFacts }), [facts]);
}

const FOUND_CLASS: Readonly<Partial<Record<StepView['outcome'], string>>> = { refuse: 'mono rust', 'would-refuse': 'mono ochre' };

function titleOf({ outcome, name }: StepView): string {
  if (outcome === 'refuse') return `Why it stopped at ${name}`;
  return outcome === 'would-refuse' ? `Why it would have stopped at ${name}` : name;
}

/** The explanation of one step: the sentence, the values compared, what to do, the clause. */
export function Why({ step, link, title }: WhyFacts & { readonly title?: string }) {
  return (
    <div className="stack" aria-live="polite">
      <div>
        <h2>{title ?? titleOf(step)}</h2>
        <div>{step.sentence}</div>
      </div>
      {step.comparisons.length > 0 && (
        <table className="list">
          <thead>
            <tr>
              <th />
              <th>wanted</th>
              <th>found</th>
            </tr>
          </thead>
          <tbody>
            {step.comparisons.map((item, index) => (
              <tr key={index}>
                <td className="quiet">{item.what}</td>
                <td className="mono" style={{ overflowWrap: 'anywhere' }}>
                  {item.wanted}
                </td>
                <td className={FOUND_CLASS[step.outcome] ?? 'mono'} style={{ overflowWrap: 'anywhere' }}>
                  {item.found ?? 'nothing'}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {step.remedy && (
        <div>
          <b>What to do.</b> {step.remedy}
        </div>
      )}
      <div className="quiet small">
        {step.toldStatus !== null && (
          <>
            {step.outcome === 'would-refuse' ? 'Enforcing, the caller would have been told' : 'The caller was told'} {step.toldStatus}, “{step.toldTitle}”, and
            no more.{' '}
          </>
        )}
        {step.standard && <>{step.standard}. </>}
        Code <span className="mono">{step.code}</span>
      </div>
      {link}
    </div>
  );
}

/** The explanation beside any screen. */
export function FloatingWhy() {
  const { facts, show } = useContext(WhyContext);
  useEffect(() => {
    if (!facts) return undefined;
    const close = (event: KeyboardEvent) => event.key === 'Escape' && show(null);
    window.addEventListener('keydown', close);
    return () => window.removeEventListener('keydown', close);
  }, [facts, show]);
  if (!facts) return null;
  return (
    <aside className="why-float" aria-label="Why">
      <Why {...facts} />
      <p>
        <button className="link" onClick={() => show(null)} autoFocus>
          Close
        </button>
      </p>
    </aside>
  );
}
