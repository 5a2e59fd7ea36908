import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { OwnCredential } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { linesOf, RedirectField } from './register-client';

/** Where browsers are sent after signing in at a provider, for a client that was registered there. */
export function Redirects({ base, credential: { id, redirectUris } }: { readonly base: string; readonly credential: OwnCredential }) {
  const [text, setText] = useState<string | null>(null);
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: () => api.put(`${base}/credentials/${id}/redirects`, { redirectUris: linesOf(text ?? '') }),
    onSuccess: async () => {
      // Whoever opens it again finds what was just kept.
      await client.invalidateQueries({ queryKey: ['clients'] });
      setText(null);
    },
  });
  if (redirectUris === null) return null;
  return (
    <>
      <button type="button" className="link whole" onClick={() => setText(redirectUris.join('\n'))}>
        redirect addresses
      </button>
      {text !== null && (
        <Dialog open onClose={() => setText(null)} maxWidth="xs">
          <DialogTitle>Redirect addresses</DialogTitle>
          <DialogContent className="stack">
            <RedirectField value={text} onChange={setText} />
            <ProblemNotice error={save.error} />
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setText(null)}>Leave it</Button>
            <Button variant="contained" disabled={save.isPending} onClick={() => save.mutate()}>
              Keep them
            </Button>
          </DialogActions>
        </Dialog>
      )}
    </>
  );
}
