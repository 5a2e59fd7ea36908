import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import type { TableChanged, TableInput, TableList, TableView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { api } from '../../client/api';

export const tablesQuery = queryOptions({ queryKey: ['tables'], queryFn: () => api.get<TableList>('/tables') });
export const tableQuery = (name: string) =>
  queryOptions({ queryKey: ['tables', name], queryFn: () => api.get<TableView>(`/tables/${encodeURIComponent(name)}`) });

/** Sets a table at once, and says how long that took to act. */
export function useSetTable(onSet: (name: string) => void) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  return useMutation({
    mutationFn: ({ name, input, revision }: { readonly name: string; readonly input: TableInput; readonly revision: string | null }) =>
      api.put<TableChanged>(`/tables/${encodeURIComponent(name)}`, input, revision),
    onSuccess: async ({ table, effect }) => {
      const { effectiveMs, nodesTold, nodesLive } = effect;
      enqueueSnackbar(
        effectiveMs === null ? `${table.name} is kept; in force on ${nodesLive} of ${nodesTold} nodes` : `${table.name} is in force after ${effectiveMs} ms`,
      );
      await client.invalidateQueries();
      onSet(table.name);
    },
  });
}
