import { useQuery } from '@tanstack/react-query';
import { Ago, ProblemNotice } from '@virga/parts';
import type { PageText } from '@virga/protocol';
import { useParams } from 'react-router';
import { api } from '../../client/api';
import { Markdown } from '@virga/parts/markdown';

/** A page that the operator wrote. */
export function Page() {
  const { slug = '' } = useParams();
  const { data, error } = useQuery({ queryKey: ['page', slug], queryFn: () => api.get<PageText>(`/pages/${encodeURIComponent(slug)}`) });
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  return (
    <article>
      <h1 style={{ marginBottom: 16 }}>{data.title}</h1>
      <Markdown text={data.text} />
      <p className="quiet small">
        changed <Ago at={data.changedAt} />
      </p>
    </article>
  );
}
