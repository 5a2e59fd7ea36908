import { describeLimit, LIMIT_METHODS, type LimitMethod } from '@virga/core';
import { Field } from '@virga/parts';
import { limitOf, type LimitDto, type LimitSubjectDto } from '@virga/protocol';
import { SpanField } from './span-field';

const SUBJECTS: readonly (readonly [LimitSubjectDto['kind'], string])[] = [
  ['client', 'each client'],
  ['principal', 'each user'],
  ['credential', 'each credential'],
  ['address', 'each address'],
  ['header', 'each value of a header'],
  ['attribute', 'each value of a token’s own member'],
  ['metadata', 'clients alike in their metadata'],
  ['everyone', 'all callers together'],
];
const NAMED: ReadonlySet<string> = new Set(['header', 'attribute', 'metadata']);
const METHODS: Readonly<Record<LimitMethod, string>> = {
  fixed: 'by the clock',
  sliding: 'up to now',
  bucket: 'evenly',
};

const FRESH: LimitDto = { name: '', by: { kind: 'client' }, method: 'sliding', requests: 60, seconds: 60, burst: null, mode: 'enforce' };

type Wrong = { readonly [member: string]: { readonly message?: string } | undefined };

/** Limits of one place, edited as rows, each read back as a sentence. */
export function LimitList({
  id,
  value,
  onChange,
  errors,
}: {
  readonly id: string;
  readonly value: readonly LimitDto[];
  readonly onChange: (limits: LimitDto[]) => void;
  readonly errors?: unknown;
}) {
  const set = (index: number, change: Partial<LimitDto>) => onChange(value.map((limit, at) => (at === index ? { ...limit, ...change } : limit)));
  return (
    <div className="stack">
      {value.map((limit, index) => (
        <Row
          key={index}
          id={`${id}-${index}`}
          limit={limit}
          onChange={(change) => set(index, change)}
          onDrop={() => onChange(value.filter((_one, at) => at !== index))}
          wrong={(errors as Wrong[] | undefined)?.[index] ?? {}}
        />
      ))}
      <div>
        <button type="button" className="link" onClick={() => onChange([...value, { ...FRESH, name: freeName(value) }])}>
          add a limit
        </button>
      </div>
    </div>
  );
}

function freeName(limits: readonly LimitDto[]): string {
  for (let index = 1; ; index++) {
    const name = index === 1 ? 'a minute' : `a minute ${index}`;
    if (!limits.some((limit) => limit.name === name)) return name;
  }
}

interface RowProps {
  readonly id: string;
  readonly limit: LimitDto;
  readonly onChange: (change: Partial<LimitDto>) => void;
  readonly onDrop: () => void;
  readonly wrong: Wrong;
}

function Row({ id, limit, onChange, onDrop, wrong }: RowProps) {
  const { name, by, method, requests, seconds, burst, mode } = limit;
  const named = NAMED.has(by.kind);
  const whole = Number.isInteger(requests) && requests > 0 && Number.isInteger(seconds) && seconds > 0;
  return (
    <div className="limit" role="group" aria-label={`Limit ${name}`}>
      <div className="row fields">
        <Field id={`${id}-name`} label="Name" error={wrong['name']}>
          <input id={`${id}-name`} value={name} onChange={(event) => onChange({ name: event.target.value })} />
        </Field>
        <Field id={`${id}-requests`} label="Requests" error={wrong['requests']}>
          <input
            id={`${id}-requests`}
            type="number"
            min={1}
            value={Number.isNaN(requests) ? '' : requests}
            onChange={(event) => onChange({ requests: event.target.valueAsNumber })}
          />
        </Field>
        <SpanField id={`${id}-seconds`} label="in" seconds={seconds} onChange={(next) => onChange({ seconds: next })} error={wrong['seconds']} />
      </div>
      <div className="row fields">
        <Field id={`${id}-method`} label="Counted">
          <select
            id={`${id}-method`}
            value={method}
            onChange={(event) => {
              const next = LIMIT_METHODS.find((one) => one === event.target.value) ?? 'sliding';
              onChange({ method: next, burst: next === 'bucket' ? (burst ?? Math.max(1, Math.floor(requests / 6))) : null });
            }}
          >
            {LIMIT_METHODS.map((one) => (
              <option key={one} value={one}>
                {METHODS[one]}
              </option>
            ))}
          </select>
        </Field>
        {method === 'bucket' && (
          <Field id={`${id}-burst`} label="At once" error={wrong['burst']}>
            <input id={`${id}-burst`} type="number" min={1} value={burst ?? ''} onChange={(event) => onChange({ burst: event.target.valueAsNumber })} />
          </Field>
        )}
        <Field id={`${id}-by`} label="of">
          <select
            id={`${id}-by`}
            value={by.kind}
            onChange={(event) => {
              const kind = SUBJECTS.find(([one]) => one === event.target.value)?.[0] ?? 'client';
              onChange({ by: NAMED.has(kind) ? { kind, name: by.name ?? '' } : { kind } });
            }}
          >
            {SUBJECTS.map(([kind, words]) => (
              <option key={kind} value={kind}>
                {words}
              </option>
            ))}
          </select>
        </Field>
        {named && (
          <Field id={`${id}-by-name`} label={by.kind === 'header' ? 'Header' : 'Member'} error={wrong['by']}>
            <input id={`${id}-by-name`} className="mono" value={by.name ?? ''} onChange={(event) => onChange({ by: { ...by, name: event.target.value } })} />
          </Field>
        )}
      </div>
      <div className="row wrap small">
        <label className="check">
          <input type="checkbox" checked={mode === 'observe'} onChange={(event) => onChange({ mode: event.target.checked ? 'observe' : 'enforce' })} /> only
          observe
        </label>
        {whole && <span className="quiet">{describeLimit(limitOf(limit))}.</span>}
        <button type="button" className="link" style={{ marginLeft: 'auto' }} onClick={onDrop}>
          drop
        </button>
      </div>
    </div>
  );
}
