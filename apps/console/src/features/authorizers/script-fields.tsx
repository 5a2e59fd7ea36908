import { AUTHORIZER_BOUNDS, checkScript, OPEN_SCOPE, placeIn, type ConditionScope } from '@virga/core';
import { Field } from '@virga/parts';
import type { AuthorizerUse, ScriptDto } from '@virga/protocol';
import { lazy, Suspense, useMemo } from 'react';
import { SCRIPT_EXAMPLES } from './examples';
import { errorAt } from './errors';
import { useNamed } from './use-named';

const ScriptEditor = lazy(() => import('../../parts/script-editor'));
const [LEAST_MS, MOST_MS] = AUTHORIZER_BOUNDS.timeMs;
const [LEAST_MB, MOST_MB] = AUTHORIZER_BOUNDS.megabytes;

/** The script, what it may take, and the tables that it reads. */
export function ScriptFields({
  script,
  onChange,
  tables,
  uses,
  error,
}: {
  readonly script: ScriptDto;
  readonly onChange: (script: ScriptDto) => void;
  /** Columns of all tables by their names. */
  readonly tables: Readonly<Record<string, string[]>>;
  /** The rules that call it. */
  readonly uses: readonly AuthorizerUse[];
  readonly error: unknown;
}) {
  const { tables: reads, body = false } = script;
  const scope = useMemo<ConditionScope>(
    () => ({ ...OPEN_SCOPE, tables: Object.fromEntries(Object.entries(tables).filter(([name]) => reads.includes(name))), body }),
    [tables, reads, body],
  );
  const named = useNamed(uses);
  const offered = useMemo<ConditionScope>(() => ({ ...scope, ...named }), [scope, named]);
  const [fault] = checkScript(script.source, scope);
  const place = fault && placeIn(script.source, fault.at);
  const names = [...new Set([...Object.keys(tables), ...script.tables])];
  return (
    <div className="stack" style={{ gap: 8 }}>
      <div className="row wrap small">
        <span className="quiet">begin with</span>
        {SCRIPT_EXAMPLES.map(({ name, source, tables: own, body: shown = false }) => (
          <button
            key={name}
            type="button"
            className="link"
            onClick={() => onChange({ ...script, source, body: shown, tables: own.filter((table) => table in tables) })}
          >
            {name}
          </button>
        ))}
      </div>
      <Suspense fallback={<div style={{ height: 280 }} />}>
        <ScriptEditor value={script.source} onChange={(source) => onChange({ ...script, source })} scope={scope} offered={offered} label="Script" />
      </Suspense>
      <div className={fault ? 'rust small' : 'quiet small'} role="status">
        {fault && place ? `Line ${place.line}, column ${place.column}: ${fault.says}` : errorAt(error, '/script/source') || 'It can be used.'}
      </div>
      <div className="row wrap" style={{ alignItems: 'flex-start', gap: 20 }}>
        <Field id="script-time" label="Time, milliseconds" error={errorAt(error, '/script/timeMs')}>
          <input
            id="script-time"
            type="number"
            style={{ width: 90 }}
            min={LEAST_MS}
            max={MOST_MS}
            value={script.timeMs}
            onChange={(event) => onChange({ ...script, timeMs: event.target.valueAsNumber })}
          />
        </Field>
        <Field id="script-memory" label="Memory, MB" error={errorAt(error, '/script/megabytes')}>
          <input
            id="script-memory"
            type="number"
            style={{ width: 90 }}
            min={LEAST_MB}
            max={MOST_MB}
            value={script.megabytes}
            onChange={(event) => onChange({ ...script, megabytes: event.target.valueAsNumber })}
          />
        </Field>
        <fieldset style={{ border: 0, margin: 0, padding: 0 }}>
          <legend className="small quiet" style={{ padding: 0 }}>
            Tables that it reads, as they are at that moment
          </legend>
          {names.length === 0 && <span className="small quiet">there are none</span>}
          <div className="row wrap">
            {names.map((name) => (
              <label key={name} className="check">
                <input
                  type="checkbox"
                  checked={script.tables.includes(name)}
                  onChange={(event) =>
                    onChange({ ...script, tables: event.target.checked ? [...script.tables, name] : script.tables.filter((other) => other !== name) })
                  }
                />{' '}
                <span className="mono">{name}</span>
                {!(name in tables) && <span className="rust small"> is not there</span>}
              </label>
            ))}
          </div>
        </fieldset>
        <label className="check">
          <input type="checkbox" checked={script.body ?? false} onChange={(event) => onChange({ ...script, body: event.target.checked })} /> show it the
          request’s body, as <span className="mono">request.body</span>
        </label>
      </div>
      {(script.body ?? false) && (
        <div className="quiet small">
          It is asked once the body has come whole: JSON or a form, up to the bytes that the contract screen lets be read. A body that cannot be read refuses.
          Its answers are not kept.
        </div>
      )}
    </div>
  );
}
