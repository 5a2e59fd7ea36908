import type { StepOutcome } from '@virga/core';

export type MarkKind = 'passed' | 'refused' | 'would-refuse' | 'skipped' | 'unknown';

const WORDS: Readonly<Record<MarkKind, string>> = {
  passed: 'passed',
  refused: 'refused',
  'would-refuse': 'would refuse',
  skipped: 'not asked',
  unknown: 'not known',
};
const DROP = 'M7 1.2C9.2 4.6 11 6.8 11 9a4 4 0 0 1-8 0c0-2.2 1.8-4.4 4-7.8Z';

/** One of the five marks of a verdict: a shape of its own each, and a word for those who cannot see it. */
export function Mark({ kind, word = WORDS[kind], size = 15 }: { readonly kind: MarkKind; readonly word?: string; readonly size?: number }) {
  return (
    <svg className={`mark ${kind}`} width={size} height={size} viewBox="0 0 14 14" role="img" aria-label={word}>
      <title>{word}</title>
      {shapeOf(kind)}
    </svg>
  );
}

function shapeOf(kind: MarkKind) {
  switch (kind) {
    case 'passed':
      return <path d={DROP} fill="currentColor" />;
    case 'refused':
      return <path d="M5 2.4a5 5 0 0 0 0 9.2M9 2.4a5 5 0 0 1 0 9.2" fill="none" stroke="currentColor" strokeWidth="2.4" />;
    case 'would-refuse':
      return (
        <>
          <path d={DROP} fill="none" stroke="currentColor" strokeWidth="1.2" />
          <path d="M3 8.6a4 4 0 0 0 8 0Z" fill="currentColor" />
        </>
      );
    case 'skipped':
      return <path d="M2.5 7h9" stroke="currentColor" strokeWidth="1.8" />;
    case 'unknown':
      return <circle cx="7" cy="7" r="4.4" fill="none" stroke="currentColor" strokeWidth="1.7" strokeDasharray="1.7 1.75" />;
  }
}

export function markOf(outcome: StepOutcome): MarkKind {
  switch (outcome) {
    case 'pass':
      return 'passed';
    case 'refuse':
      return 'refused';
    case 'skip':
      return 'skipped';
    case 'would-refuse':
      return 'would-refuse';
  }
}
