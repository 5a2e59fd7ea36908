import { useMutation } from '@tanstack/react-query';
import type { LookLink } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import type { ReactNode } from 'react';
import { api } from '../../client/api';

/** Opens the portal as a team sees it, in a window of its own; nothing can be changed there. */
export function LookAs({ teamId, children }: { readonly teamId: string | null; readonly children: ReactNode }) {
  const { enqueueSnackbar } = useSnackbar();
  const look = useMutation({
    mutationFn: () => api.post<LookLink>('/portal/looks', { teamId }),
    onSuccess: ({ url }) => {
      if (window.open(url, 'virga-look') === null) enqueueSnackbar('The browser did not open a window; allow it for this page');
    },
    onError: (error) => enqueueSnackbar(error.message),
  });
  return (
    <button className="link" disabled={look.isPending} onClick={() => look.mutate()}>
      {children}
    </button>
  );
}
