import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { DirectoryEffect } from '@virga/protocol';
import { useSnackbar } from 'notistack';

/** Where a change of clients counts already, in words. */
export function effectWords({ effectiveMs, nodesTold, nodesLive }: DirectoryEffect): string {
  if (nodesTold === 0) return 'No gateway node is connected; it counts as soon as one is';
  if (effectiveMs === null) return `In force on ${nodesLive} of ${nodesTold} nodes so far`;
  return `In force on ${nodesTold === 1 ? 'the node' : `all ${nodesTold} nodes`} after ${Math.round(effectiveMs)} ms`;
}

/** Changes of clients act at once; each says since when. */
export function useClientChange<Input, Result extends { readonly effect: DirectoryEffect } | void>(
  change: (input: Input) => Promise<Result>,
  onDone?: (result: Result) => void,
) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  return useMutation({
    mutationFn: change,
    onSuccess: async (result) => {
      if (result) enqueueSnackbar(effectWords(result.effect));
      await client.invalidateQueries({ queryKey: ['clients'] });
      onDone?.(result);
    },
  });
}
