import { againstContract, placeIn, type ConditionScope } from '@virga/core';
import { lazy, Suspense } from 'react';
import { faultsOf } from './condition-faults';

const ConditionEditor = lazy(() => import('../../parts/condition-editor'));

/** A condition in its editor, with the first thing that is wrong in words below it. */
export function ConditionField({
  source,
  onChange,
  scope,
  label,
}: {
  readonly source: string;
  readonly onChange: (source: string) => void;
  readonly scope: ConditionScope;
  readonly label: string;
}) {
  const [fault] = source.trim() === '' ? [] : faultsOf(source, scope);
  const { unnamed, faults, never } = againstContract(source, scope);
  const [mistyped] = faults;
  const [unmatched] = never;
  const placed = ({ at, says }: { readonly at: number; readonly says: string }): string => {
    const { line, column } = placeIn(source, at);
    return `Line ${line}, column ${column}: ${says}`;
  };
  return (
    <div className="stack" style={{ gap: 4 }}>
      <Suspense fallback={<div style={{ height: 92 }} />}>
        <ConditionEditor value={source} onChange={onChange} scope={scope} label={label} />
      </Suspense>
      <div className={fault ? 'rust small' : 'quiet small'} role="status">
        {source.trim() === '' && 'In CEL, as in: request.method == "GET" && now.getHours("Europe/Berlin") >= 6'}
        {fault && placed(fault)}
        {source.trim() !== '' && !fault && 'It can be used.'}
        {(['body', 'query', 'headers'] as const).map(
          (part) =>
            unnamed[part].length > 0 && (
              <span key={part} className="ochre">
                {' '}
                The contract names no {unnamed[part].join(', no ')} in the {part === 'headers' ? 'header fields' : part}.
              </span>
            ),
        )}
        {unmatched && <span className="ochre"> No request is so. {placed(unmatched)}.</span>}
        {mistyped && <span className="ochre"> It does not fit the types that the contract gives. {placed(mistyped)}.</span>}
      </div>
    </div>
  );
}
