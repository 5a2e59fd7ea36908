import type { ReferenceEntry, ReferenceGroupView } from '@virga/protocol';
import { Link } from 'react-router';
import { listKeys } from '../list-keys';
import { Method } from '../method';

/** What an API offers, by groups: a list that one chooses from. */
export function ReferenceList({
  groups,
  chosen,
  to,
}: {
  readonly groups: readonly ReferenceGroupView[];
  readonly chosen: string;
  readonly to: (entry: ReferenceEntry) => string;
}) {
  let row = 0;
  return (
    <nav aria-label="Operations" onKeyDown={listKeys}>
      {groups.map(({ name, description, operations }) => (
        <section key={name} style={{ marginBottom: 14 }}>
          {name !== '' && (
            <h3 style={{ margin: '0 0 2px' }} title={description}>
              {name}
            </h3>
          )}
          {operations.map((entry) => (
            <Link
              key={entry.operationId}
              to={to(entry)}
              data-row={row++}
              className={`ref-entry${entry.operationId === chosen ? ' active' : ''}`}
              aria-current={entry.operationId === chosen ? 'page' : undefined}
            >
              <span>
                <Method name={entry.method} />
              </span>
              <span className="clip" title={entry.path}>
                {entry.summary || entry.path}
                {entry.hidden && <span className="quiet"> (hidden)</span>}
              </span>
            </Link>
          ))}
        </section>
      ))}
    </nav>
  );
}
