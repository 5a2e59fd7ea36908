import { Ago, count } from '@virga/parts';
import type { EvidenceView } from '@virga/protocol';

/** Callers by their names, those with most first. */
const byWords = (callers: EvidenceView['callers']): string => {
  const [first, second, ...more] = callers;
  if (first === undefined) return '';
  return [first.name, ...(second ? [second.name] : [])].join(', ') + (more.length > 0 ? ` and ${more.length} more` : '');
};

/** What an operation rests on, piece by piece, each of which can be left out. */
export function EvidenceTable({
  rows,
  left,
  onToggle,
  fixed,
}: {
  readonly rows: readonly EvidenceView[];
  readonly left: ReadonlySet<string>;
  readonly onToggle: (pointer: string, taken: boolean) => void;
  /** Whether what is taken is written by hand instead. */
  readonly fixed: boolean;
}) {
  const isLeft = (pointer: string): boolean => [...left].some((one) => pointer === one || pointer.startsWith(`${one}/`));
  return (
    <div style={{ overflow: 'auto', maxHeight: 'calc(100vh - 330px)' }}>
      <table className="list dense" aria-label="What was learned">
        <thead>
          <tr>
            <th>take</th>
            <th>where</th>
            <th>what</th>
            <th>seen in</th>
            <th>by</th>
            <th>last</th>
            <th>values like</th>
          </tr>
        </thead>
        <tbody>
          {rows.map(({ pointer, where, at, says, seen, of, firstAt, lastAt, callers, samples }) => (
            <tr key={`${where} ${pointer} ${at}`} className={isLeft(pointer) ? 'quiet' : ''}>
              <td>
                <input
                  type="checkbox"
                  aria-label={`Take ${where} ${at || says}`}
                  disabled={fixed || where === 'path' || (isLeft(pointer) && !left.has(pointer))}
                  checked={!isLeft(pointer)}
                  onChange={(event) => onToggle(pointer, event.target.checked)}
                />
              </td>
              <td className="whole">{where}</td>
              <td>
                {at !== '' && <span className="mono breaks">{at} </span>}
                <span className={at === '' ? '' : 'quiet small'}>{says}</span>
              </td>
              <td className="whole small" title={`${count(seen)} of ${count(of)}`}>
                {seen === of ? 'all' : count(seen)} of {count(of)}
              </td>
              <td className="small breaks">{byWords(callers)}</td>
              <td className="whole small">
                {lastAt > 0 && (
                  <>
                    <Ago at={lastAt} />
                    {firstAt < lastAt && (
                      <span className="quiet">
                        {' '}
                        since <Ago at={firstAt} />
                      </span>
                    )}
                  </>
                )}
              </td>
              <td className="mono small breaks">{samples.join('  ')}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
