import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { NeededProof, OwnToken } from '@virga/protocol';
import { useEffect, useState } from 'react';
import { api } from '../../client/api';

/** Gets a token at a provider: as one's own program, or by signing in there. */
export function GetToken({ apiId, proof, onToken }: { readonly apiId: string; readonly proof: NeededProof; readonly onToken: (token: string) => void }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <div>
        <button className="link" onClick={() => setOpen(true)}>
          get a token
        </button>
      </div>
      {open && (
        <Asking
          apiId={apiId}
          proof={proof}
          onDone={(token) => {
            if (token !== null) onToken(token);
            setOpen(false);
          }}
        />
      )}
    </>
  );
}

function Asking({ apiId, proof, onDone }: { readonly apiId: string; readonly proof: NeededProof; readonly onDone: (token: string | null) => void }) {
  const [grant, setGrant] = useState<'client_credentials' | 'authorization_code'>('client_credentials');
  const [providerId, setProvider] = useState(proof.providers[0]?.id ?? '');
  const [clientId, setClientId] = useState('');
  const [secret, setSecret] = useState('');
  const [scopes, setScopes] = useState(proof.scopes.join(' '));
  const begin = useMutation({
    mutationFn: () =>
      api.post<OwnToken>('/tokens', {
        providerId,
        grant,
        clientId,
        ...(secret === '' ? {} : { clientSecret: secret }),
        scopes: scopes.split(/\s+/).filter(Boolean),
        apiId,
      }),
    onSuccess: ({ goTo }) => {
      if (goTo !== null) window.open(goTo, '_blank', 'popup,width=520,height=700');
    },
  });
  const id = begin.data?.id ?? '';
  const waits = begin.data?.state === 'waiting';
  const { data: later } = useQuery({
    queryKey: ['token', id],
    queryFn: () => api.get<OwnToken>(`/tokens/${id}`),
    enabled: waits,
    refetchInterval: ({ state }) => (state.data?.state === 'waiting' || !state.data ? 1000 : false),
    gcTime: 0,
  });
  const token = later ?? begin.data;
  useEffect(() => {
    if (token?.state === 'done' && token.accessToken !== null) onDone(token.accessToken);
  }, [token, onDone]);
  return (
    <Dialog open onClose={() => onDone(null)} maxWidth="xs">
      <DialogTitle>Get a token</DialogTitle>
      <DialogContent className="stack">
        <div className="field">
          <label htmlFor="grant">For whom</label>
          <select id="grant" value={grant} onChange={(event) => setGrant(event.target.value as typeof grant)}>
            <option value="client_credentials">a program by itself (client credentials)</option>
            <option value="authorization_code">somebody who signs in (code with PKCE)</option>
          </select>
        </div>
        {proof.providers.length > 1 && (
          <div className="field">
            <label htmlFor="provider">Where</label>
            <select id="provider" value={providerId} onChange={(event) => setProvider(event.target.value)}>
              {proof.providers.map(({ id: one, label }) => (
                <option key={one} value={one}>
                  {label}
                </option>
              ))}
            </select>
          </div>
        )}
        <div className="field">
          <label htmlFor="client-id">Client id of your program</label>
          <input id="client-id" className="mono" autoComplete="off" value={clientId} onChange={(event) => setClientId(event.target.value)} />
        </div>
        <div className="field">
          <label htmlFor="client-secret">Its secret, where it has one</label>
          <input id="client-secret" type="password" autoComplete="off" value={secret} onChange={(event) => setSecret(event.target.value)} />
          <span className="hint">It goes to the provider alone and is kept nowhere.</span>
        </div>
        <div className="field">
          <label htmlFor="scopes">Scopes</label>
          <input id="scopes" className="mono" value={scopes} onChange={(event) => setScopes(event.target.value)} />
        </div>
        <ProblemNotice error={begin.error} />
        {token?.state === 'failed' && (
          <div className="notice wrong" role="alert">
            <b>The provider gave none</b>
            <div>{token.says}</div>
          </div>
        )}
        {token?.state === 'waiting' && (
          <p>
            Waiting for you to sign in.{' '}
            {token.goTo !== null && (
              <a href={token.goTo} target="_blank" rel="noreferrer">
                Open the page
              </a>
            )}
          </p>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={() => onDone(null)}>Leave it</Button>
        <Button variant="contained" disabled={clientId === '' || begin.isPending} onClick={() => begin.mutate()}>
          Ask for it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
