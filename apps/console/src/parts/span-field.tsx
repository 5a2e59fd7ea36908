import { Field } from '@virga/parts';
import { useState } from 'react';

const UNITS = [
  [1, 'seconds'],
  [60, 'minutes'],
  [3600, 'hours'],
  [86_400, 'days'],
] as const;

/** A span of time as a number and a unit. */
export function SpanField({
  id,
  label,
  seconds,
  onChange,
  error,
}: {
  readonly id: string;
  readonly label: string;
  readonly seconds: number;
  readonly onChange: (seconds: number) => void;
  readonly error?: { readonly message?: string } | undefined;
}) {
  const [unit, setUnit] = useState(() => [...UNITS].reverse().find(([size]) => seconds >= size && seconds % size === 0)?.[0] ?? 1);
  const number = seconds / unit;
  return (
    <Field id={id} label={label} error={error}>
      <div className="row" style={{ gap: 4 }}>
        <input
          id={id}
          type="number"
          min={1}
          style={{ width: 64 }}
          value={Number.isNaN(number) ? '' : number}
          onChange={(event) => onChange(event.target.valueAsNumber * unit)}
        />
        <select
          aria-label={`Unit of ${label}`}
          value={unit}
          onChange={(event) => {
            const next = UNITS.find(([size]) => String(size) === event.target.value)?.[0] ?? 1;
            setUnit(next);
            onChange(Math.max(1, Math.round(number)) * next);
          }}
        >
          {UNITS.map(([size, words]) => (
            <option key={size} value={size}>
              {words}
            </option>
          ))}
        </select>
      </div>
    </Field>
  );
}
