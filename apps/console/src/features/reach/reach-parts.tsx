import { count } from '@virga/parts';
import { Mark } from '../../parts/mark';
import type { TableAnswer } from '../../workers/suppose-messages';

/** A choice of releases. */
export function Releases({
  label,
  value,
  onChange,
  numbers,
  live,
  none = false,
}: {
  readonly label: string;
  readonly value: string;
  readonly onChange: (value: string) => void;
  readonly numbers: readonly number[];
  readonly live: number | null;
  readonly none?: boolean;
}) {
  return (
    <select aria-label={label} className="plain" style={{ width: 'auto' }} value={value} onChange={(event) => onChange(event.target.value)}>
      {none && <option value="">nothing</option>}
      <option value="draft">the draft</option>
      {numbers.map((number) => (
        <option key={number} value={number}>
          release {number}
          {number === live ? ', live' : ''}
        </option>
      ))}
    </select>
  );
}

/** What the marks mean, and how many there are. */
export function Legend({ table, compared }: { readonly table: TableAnswer; readonly compared: boolean }) {
  return (
    <div className="row wrap small quiet" style={{ padding: '8px 0' }}>
      <span>
        <Mark kind="passed" /> let in
      </span>
      <span>
        <Mark kind="would-refuse" /> let in, an observed check would refuse
      </span>
      <span>
        <Mark kind="unknown" word="hangs on more" /> hangs on what is not known
      </span>
      <span>
        <Mark kind="refused" /> refused
      </span>
      {compared && <span>before on the left where it differs; ochre reaches more, blue less</span>}
      <span style={{ marginLeft: 'auto' }}>
        {count(table.operations.length * table.callers.length)} cells in {Math.round(table.tookMs)} ms
      </span>
    </div>
  );
}
