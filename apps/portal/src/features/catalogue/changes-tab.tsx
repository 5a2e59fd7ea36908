import { useQuery } from '@tanstack/react-query';
import { Call, exactTime, ProblemNotice } from '@virga/parts';
import { changesQuery } from './queries';

const WORDS = { new: 'new', changed: 'changed', deprecated: 'no longer to be used', gone: 'gone' } as const;

/** What each release changed for those who call the API. */
export function ChangesTab({ id }: { readonly id: string }) {
  const { data, error } = useQuery(changesQuery(id));
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Comparing…</p>;
  if (data.items.length === 0) return <p className="quiet">Nothing has changed since it is here.</p>;
  return (
    <>
      {data.items.map(({ at, version, changes }) => (
        <section key={at} style={{ marginBottom: 26 }}>
          <h2>
            <time dateTime={new Date(at).toISOString()} title={exactTime(at)}>
              {new Date(at).toLocaleDateString(undefined, { dateStyle: 'long' })}
            </time>{' '}
            <span className="quiet small">version {version}</span>
          </h2>
          <table className="list">
            <tbody>
              {changes.map(({ kind, method, path, summary }) => (
                <tr key={kind + method + path}>
                  <td style={{ width: 170 }}>{kind === 'deprecated' || kind === 'gone' ? <b className="ochre">{WORDS[kind]}</b> : <b>{WORDS[kind]}</b>}</td>
                  <td>
                    <Call method={method} path={path} />
                  </td>
                  <td>{summary}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
    </>
  );
}
