import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';

/** Changes of the portal act at once. @param said what is said when it is done */
export function usePortalChange<Input, Result>(change: (input: Input) => Promise<Result>, said: string, onDone?: (result: Result) => void) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  return useMutation({
    mutationFn: change,
    onSuccess: async (result) => {
      enqueueSnackbar(said);
      await Promise.all([client.invalidateQueries({ queryKey: ['portal'] }), client.invalidateQueries({ queryKey: ['clients'] })]);
      onDone?.(result);
    },
  });
}
