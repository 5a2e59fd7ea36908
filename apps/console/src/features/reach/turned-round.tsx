import { STEP_NAMES } from '@virga/core';
import { Mark } from '../../parts/mark';
import type { TableAnswer } from '../../workers/suppose-messages';
import { KIND_NAMES, markOf, wordsOf, type Shown } from './cells';
import type { Chosen } from './reach-chart';

/** The question turned round: who can reach one operation, or what one caller can reach. */
export function TurnedRound({
  table,
  shown,
  chosen,
  onChoose,
}: {
  readonly table: TableAnswer;
  readonly shown: Shown;
  readonly chosen: Chosen;
  readonly onChoose: (chosen: Chosen) => void;
}) {
  const { operation, caller } = chosen;
  const pairs =
    operation === null
      ? table.operations.map((_one, at) => ({ operation: at, caller: caller ?? 0 }))
      : table.callers.map((_one, at) => ({ operation, caller: at }));
  const cells = pairs.map((pair) => ({ ...pair, cell: table.after[pair.operation]?.[pair.caller] ?? null })).filter(({ cell }) => cell !== null);
  const groups = [
    { kind: 'allowed', head: 'let in' },
    { kind: 'conditional', head: 'it hangs on more' },
    { kind: 'refused', head: 'refused' },
  ] as const;
  const asked = operation === null ? null : table.operations[operation];
  const who = caller === null ? null : table.callers[caller];
  const inSight = operation === null ? shown.operations.length : shown.callers.length;
  return (
    <div className="stack">
      <div>
        <h2 style={{ marginBottom: 2, overflowWrap: 'anywhere' }}>{asked ? 'Who can reach it' : `What ${who?.name ?? ''} opens`}</h2>
        {asked && (
          <div className="mono small breaks">
            {asked.method} {asked.path}
          </div>
        )}
        {who && who.note !== '' && <div className="quiet small">Its token: {who.note}.</div>}
        {inSight < cells.length && <div className="quiet small">All of it, whatever is searched for.</div>}
      </div>
      {groups.map(({ kind, head }) => {
        const some = cells.filter(({ cell }) => cell?.kind === kind);
        return (
          <details key={kind} open={kind !== 'refused'}>
            <summary>
              <b>{some.length}</b> {head}
            </summary>
            <ul className="plain-list">
              {some.slice(0, 300).map((one) => (
                <li key={`${one.operation} ${one.caller}`} className="breaks">
                  <Mark kind={markOf(one.cell)} word={wordsOf(one.cell)} />{' '}
                  <button className="link" onClick={() => onChoose({ operation: one.operation, caller: one.caller })}>
                    {asked ? table.callers[one.caller]?.name : `${table.operations[one.operation]?.method} ${table.operations[one.operation]?.path}`}
                  </button>{' '}
                  <span className="quiet small">
                    {asked && table.callers[one.caller]?.kind !== 'nobody' ? `(${KIND_NAMES[table.callers[one.caller]?.kind ?? 'nobody']})` : ''}
                    {one.cell?.kind === 'conditional'
                      ? ` hangs on ${one.cell.hangsOn.join(', ')}`
                      : one.cell?.kind === 'refused'
                        ? ` at ${STEP_NAMES[one.cell.step]}`
                        : ''}
                  </span>
                </li>
              ))}
              {some.length > 300 && <li className="quiet">and {some.length - 300} more; the CSV has all of them</li>}
            </ul>
          </details>
        );
      })}
    </div>
  );
}
