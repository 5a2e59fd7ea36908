import { placeIn, unnamedMembers, type ConditionScope } from '@virga/core';
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
  const unnamed = fault || source.trim() === '' ? [] : unnamedMembers(source, scope);
  const place = fault && placeIn(source, fault.at);
  return (
    <div className="stack" style={{ gap: 4 }}>
      <Suspense fallback={<div style={{ height: 92 }} />}>
        <ConditionEditor value={source} onChange={onChange} scope={scope} label={label} />
      </Suspense>
      <div className={fault ? 'rust small' : 'quiet small'} role="status">
        {source.trim() === '' && 'In CEL, as in: request.method == "GET" && now.getHours("Europe/Berlin") >= 6'}
        {fault && place && `Line ${place.line}, column ${place.column}: ${fault.says}`}
        {source.trim() !== '' && !fault && 'It can be used.'}
        {unnamed.length > 0 && <span className="ochre"> The contract names no {unnamed.join(', no ')} in the body.</span>}
      </div>
    </div>
  );
}
