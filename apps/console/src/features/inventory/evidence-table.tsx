import { Ago, count } from '@virga/parts';
import type { EvidenceView, LearnedView } from '@virga/protocol';

/** Callers that are told apart of one row, at most. */
const TOLD_APART = 8;

/** Whether a row came from other callers, or at other times, than its operation. */
const isApart = ({ callers, firstAt, lastAt }: EvidenceView, whole: LearnedView): boolean =>
  callers.length > 0 && (callers.length < Math.min(TOLD_APART, whole.callers.length) || firstAt !== whole.firstAt || lastAt !== whole.lastAt);

/** Callers by their names, those with most first. */
const byWords = (callers: EvidenceView['callers']): string => {
  const [first, second, ...more] = callers;
  if (first === undefined) return '';
  return [first.name, ...(second ? [second.name] : [])].join(', ') + (more.length > 0 ? ` and ${more.length} more` : '');
};

/** What an operation rests on, piece by piece, each of which can be left out. */
export function EvidenceTable({
  learned,
  left,
  onToggle,
  fixed,
}: {
  readonly learned: LearnedView;
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
            <th>values like</th>
          </tr>
        </thead>
        <tbody>
          {learned.evidence.map((row) => {
            const { pointer, where, at, says, seen, of, firstAt, lastAt, callers, samples } = row;
            return (
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
                  {isApart(row, learned) && (
                    <div className="quiet small breaks">
                      by {byWords(callers)}, <Ago at={lastAt} />
                      {firstAt < lastAt && (
                        <>
                          , first <Ago at={firstAt} />
                        </>
                      )}
                    </div>
                  )}
                </td>
                <td className="whole small" title={`${count(seen)} of ${count(of)}`}>
                  {seen === of ? 'all' : count(seen)} of {count(of)}
                </td>
                <td className="mono small breaks">{samples.join('  ')}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
