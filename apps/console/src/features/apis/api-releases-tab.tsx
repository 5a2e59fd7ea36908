import { useQueries, useQuery } from '@tanstack/react-query';
import { Ago } from '@virga/parts';
import type { ApiView } from '@virga/protocol';
import { Link } from 'react-router';
import { ChangeList } from '../releases/change-list';
import { releaseQuery, releasesQuery } from '../releases/queries';

const SHOWN = 20;

/** What each release changed about one API. */
export function ApiReleasesTab({ api }: { readonly api: ApiView }) {
  const { data: releases } = useQuery(releasesQuery);
  const details = useQueries({ queries: (releases?.items ?? []).slice(0, SHOWN).map((release) => releaseQuery(release.number)) });
  const own = details.flatMap((result) => {
    const changes = result.data?.changes.filter((change) => change.what !== 'provider' && change.id === api.id) ?? [];
    return result.data && changes.length > 0 ? [{ release: result.data, changes }] : [];
  });
  if (details.some((result) => result.isPending)) return <p className="quiet">Reading…</p>;
  if (own.length === 0)
    return (
      <p className="quiet">
        No release has changed this API yet{(releases?.items.length ?? 0) > SHOWN ? `, among the last ${SHOWN}` : ''}. It is in the draft until you publish.
      </p>
    );
  return (
    <div className="stack">
      {own.map(({ release, changes }) => (
        <section key={release.number}>
          <h2>
            <Link to={`/releases/${release.number}`}>Release {release.number}</Link>{' '}
            <span className="quiet small">
              <Ago at={release.publishedAt} /> {release.note}
            </span>
          </h2>
          <ChangeList changes={changes} />
        </section>
      ))}
    </div>
  );
}
