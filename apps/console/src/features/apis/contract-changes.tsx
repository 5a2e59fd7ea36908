import { Call } from '@virga/parts';
import type { ReimportView } from '@virga/protocol';

const CALLERS = { wider: 'somebody may call who could not', narrower: 'fewer may call', same: '' } as const;
const SHOWN = 1000;

/** What a newer contract changes; those at the top whose callers change, wider ones first. */
export function Changes({ changes }: { readonly changes: ReimportView['changes'] }) {
  const wider = changes.filter((change) => change.callers === 'wider').length;
  return (
    <>
      {wider > 0 && (
        <div className="notice wrong">
          {wider === 1 ? 'One change lets' : `${wider} changes let`} somebody call who could not before. {wider === 1 ? 'It stands' : 'They stand'} first.
        </div>
      )}
      <div style={{ maxHeight: 420, overflow: 'auto' }}>
        <table className="list">
          <tbody>
            {changes.slice(0, SHOWN).map((change) => (
              <tr key={`${change.kind} ${change.method} ${change.path}`}>
                <td>{change.kind}</td>
                <td>{change.method === '' ? change.path : <Call method={change.method} path={change.path} />}</td>
                <td className="small">
                  {change.callers !== 'same' && <b className={change.callers === 'wider' ? 'rust' : 'ochre'}>{CALLERS[change.callers]}: </b>}
                  {change.detail}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {changes.length > SHOWN && <p className="quiet">{changes.length - SHOWN} more that change no callers are not shown.</p>}
    </>
  );
}
