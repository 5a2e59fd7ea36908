import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import type { CaseResults, EditPage, PublishView, ReleaseList, ReleaseView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { api } from '../../client/api';

export const releasesQuery = queryOptions({ queryKey: ['releases'], queryFn: () => api.get<ReleaseList>('/releases') });
export const releaseQuery = (number: number) =>
  queryOptions({ queryKey: ['releases', number], queryFn: () => api.get<ReleaseView>(`/releases/${number}`), staleTime: 60_000 });

/** A change of what is live, and the word about how it went. */
export function useGoLive(path: string) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  return useMutation({
    mutationFn: ({ note, overrule = [] }: { readonly note: string; readonly overrule?: readonly string[] }) =>
      api.post<PublishView>(path, { note, ...(overrule.length === 0 ? {} : { overrule }) }),
    onSuccess: async (view) => {
      const where =
        view.effectiveMs === null
          ? `on ${view.nodesLive} of ${view.nodesTold} nodes; look at Releases`
          : `on ${view.nodesLive} ${view.nodesLive === 1 ? 'node' : 'nodes'} after ${view.effectiveMs} ms`;
      enqueueSnackbar(`Release ${view.release.number} is live ${where}`);
      await client.invalidateQueries();
    },
  });
}

/** Cases of the draft's authorizers, run on a node as publishing runs them. */
export const caseRunQuery = queryOptions({
  queryKey: ['draft', 'cases'],
  queryFn: () => api.post<CaseResults>('/authorizers/cases/run'),
  gcTime: 0,
  retry: false,
});

/** The last edits of the draft. */
export const editsQuery = queryOptions({ queryKey: ['draft', 'edits'], queryFn: () => api.get<EditPage>('/draft/edits?limit=20') });
