import { Ago, Copyable } from '@virga/parts';
import type { KeyView, RefusedKeyView } from '@virga/protocol';
import { Mark } from '../../parts/mark';

/** Keys of a provider: those in use, those withdrawn, those refused. */
export function KeyTable({ keys, refused }: { readonly keys: readonly KeyView[]; readonly refused: readonly RefusedKeyView[] }) {
  const aged = keys.some((key) => key.firstSeenAt !== null);
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Key</th>
          <th>Algorithm</th>
          <th>Kind</th>
          <th>Thumbprint (RFC 7638)</th>
          {aged && <th>First seen</th>}
          {aged && <th>Last seen</th>}
        </tr>
      </thead>
      <tbody>
        {keys.map((key) => (
          <tr key={key.thumbprint} className={key.published ? '' : 'quiet'}>
            <td className="mono">
              <Mark kind={key.published ? 'passed' : 'skipped'} word={key.published ? 'in the key set' : 'no longer in the key set'} /> {key.kid ?? 'no kid'}
            </td>
            <td className="mono">{key.algorithm ?? 'not said'}</td>
            <td>
              {key.keyType} {key.curve ?? `${key.bits} bits`}
            </td>
            <td>
              <Copyable text={key.thumbprint} shown={`${key.thumbprint.slice(0, 12)}…`} />
            </td>
            {aged && <td>{key.firstSeenAt !== null && <Ago at={key.firstSeenAt} />}</td>}
            {aged && <td>{key.published ? 'in use' : key.lastSeenAt !== null && <Ago at={key.lastSeenAt} />}</td>}
          </tr>
        ))}
        {refused.map((key) => (
          <tr key={`refused ${key.index}`}>
            <td className="mono">
              <Mark kind="refused" word="not used" /> {key.kid ?? `key ${key.index + 1}`}
            </td>
            <td colSpan={aged ? 5 : 3} className="rust">
              not used: {key.reason}
            </td>
          </tr>
        ))}
        {keys.length + refused.length === 0 && (
          <tr>
            <td colSpan={6} className="quiet">
              No key was seen yet.
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
