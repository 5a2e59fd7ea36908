import type { ReleaseChangeView } from '@virga/protocol';
import { Link } from 'react-router';
import { authorizerPath } from '../../client/places';

const SIGNS = { added: '+', removed: '−', changed: '~' } as const;

/** Where what changed is edited. */
function placeOf({ what, id, detail }: ReleaseChangeView): string {
  if (what === 'provider') return `/providers/${id}`;
  if (what === 'authorizer') return authorizerPath(id);
  if (what === 'gateway') return detail.startsWith('conditions') ? '/conditions' : '/addresses';
  return `/apis/${id}`;
}

/** Differences of two releases in words, each with a way to what it is about. */
export function ChangeList({ changes, total = changes.length }: { readonly changes: readonly ReleaseChangeView[]; readonly total?: number }) {
  if (changes.length === 0) return <p className="quiet">No differences.</p>;
  return (
    <table className="list" style={{ tableLayout: 'fixed' }}>
      <tbody>
        {changes.map((change, index) => (
          <tr key={index}>
            <td className="mono" style={{ width: 36 }} title={change.kind}>
              {SIGNS[change.kind]}
            </td>
            <td style={{ overflowWrap: 'anywhere', width: '52%' }}>
              <Link to={placeOf(change)}>{change.subject}</Link>
            </td>
            <td style={{ overflowWrap: 'anywhere' }}>{change.detail}</td>
          </tr>
        ))}
        {total > changes.length && (
          <tr>
            <td />
            <td colSpan={2} className="quiet">
              and {total - changes.length} more
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
