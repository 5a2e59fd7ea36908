import { AUTHORIZER_BOUNDS, hiddenBy, WIDEST_KEY, type CacheKeyPart } from '@virga/core';
import { Field } from '@virga/parts';
import type { AnswerCacheDto } from '@virga/protocol';
import { TextList } from '../../parts/text-list';
import { errorAt } from './errors';

const [LEAST, MOST] = AUTHORIZER_BOUNDS.cacheSeconds;
const WHO: readonly (readonly [CacheKeyPart, string])[] = [
  ['caller', 'all that is known of the caller'],
  ['subject', 'the subject'],
  ['client', 'the client'],
  ['roles', 'the roles'],
  ['ANYBODY', 'nobody: one answer for all callers'],
];
const WHAT: readonly (readonly [CacheKeyPart, string])[] = [
  ['operation', 'the operation'],
  ['path', 'the path'],
  ['query', 'the query'],
  ['address', 'the address'],
];
const HEADER = 'header:';

/** Whether answers are used again, by whom, for what, and for how long. */
export function CacheFields({
  cache,
  tables,
  onChange,
  onDrop,
  error,
}: {
  readonly cache: AnswerCacheDto | null;
  /** Whether it reads tables. */
  readonly tables: boolean;
  readonly onChange: (cache: AnswerCacheDto | null) => void;
  /** Forgets what is kept; null where nothing is live under this name. */
  readonly onDrop: (() => void) | null;
  readonly error: unknown;
}) {
  const key = cache?.key ?? [];
  const toggle = (part: CacheKeyPart, on: boolean) => cache && onChange({ ...cache, key: on ? [...key, part] : key.filter((other) => other !== part) });
  const boxes = (parts: typeof WHO) =>
    parts.map(([part, word]) => (
      <label key={part} className={part === 'ANYBODY' && key.includes(part) ? 'check ochre' : 'check'}>
        <input type="checkbox" checked={key.includes(part)} onChange={(event) => toggle(part, event.target.checked)} /> {word}
      </label>
    ));
  return (
    <section className="stack" style={{ gap: 8 }}>
      <label className="check">
        <input type="checkbox" checked={cache !== null} onChange={(event) => onChange(event.target.checked ? { seconds: 30, key: [...WIDEST_KEY] } : null)} />{' '}
        use its answers again
      </label>
      {cache && (
        <>
          <div className="row wrap" style={{ alignItems: 'flex-start' }}>
            <Field id="cache-seconds" label="For, seconds" error={errorAt(error, '/cache/seconds')}>
              <input
                id="cache-seconds"
                type="number"
                style={{ width: 90 }}
                min={LEAST}
                max={MOST}
                value={cache.seconds}
                onChange={(event) => onChange({ ...cache, seconds: event.target.valueAsNumber })}
              />
            </Field>
            <fieldset className="stack" style={{ border: 0, margin: 0, padding: 0, gap: 2 }}>
              <legend className="small quiet">for the same</legend>
              {boxes(WHO)}
            </fieldset>
            <fieldset className="stack" style={{ border: 0, margin: 0, padding: 0, gap: 2 }}>
              <legend className="small quiet">asking for the same</legend>
              {boxes(WHAT)}
            </fieldset>
            <Field id="cache-headers" label="with the same header fields">
              <TextList
                id="cache-headers"
                value={key.filter((part) => part.startsWith(HEADER)).map((part) => part.slice(HEADER.length))}
                onChange={(names) =>
                  onChange({
                    ...cache,
                    key: [...key.filter((part) => !part.startsWith(HEADER)), ...names.map((name): CacheKeyPart => `header:${name.toLowerCase()}`)],
                  })
                }
              />
            </Field>
          </div>
          {errorAt(error, '/cache/key') !== '' && (
            <span className="rust small" role="alert">
              {errorAt(error, '/cache/key')}
            </span>
          )}
          <p className="small" style={{ margin: 0 }}>
            An answer may be {cache.seconds} s old, never older than its caller’s credential is good. It is asked anew when the authorizer
            {tables ? ', a table that it reads,' : ''} or any revocation changes. <span className="quiet">{notShown(key)}</span>
          </p>
          {onDrop && (
            <div>
              <button type="button" className="link" onClick={onDrop}>
                forget all kept answers now
              </button>
            </div>
          )}
        </>
      )}
    </section>
  );
}

/** What no answer can hang on, because it is no part of the key. */
function notShown(key: readonly CacheKeyPart[]): string {
  const { members } = hiddenBy(key);
  const fields = key.some((part) => part.startsWith(HEADER)) ? 'other header fields' : 'header fields';
  return `So that no answer hangs on anything else, it is not shown ${[...members.map((member) => (member === 'request.body' ? 'bodies' : member)), fields].join(', ')}.`;
}
