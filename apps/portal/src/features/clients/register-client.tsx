import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { OwnSecretMade } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { useSite } from '../../client/site';

/** Registers a program at a provider whose registration is open, so that people can sign in to it there. */
export function Register({ base, onMade }: { readonly base: string; readonly onMade: (made: OwnSecretMade) => void }) {
  const { registers } = useSite();
  const [open, setOpen] = useState(false);
  const [providerId, setProvider] = useState(registers[0]?.id ?? '');
  const [addresses, setAddresses] = useState('');
  const register = useMutation({
    mutationFn: () => api.post<OwnSecretMade>(`${base}/registrations`, { providerId, redirectUris: linesOf(addresses) }),
    onSuccess: (made) => {
      setOpen(false);
      onMade(made);
    },
  });
  if (registers.length === 0) return null;
  return (
    <>
      <button type="button" className="link" onClick={() => setOpen(true)}>
        register it for sign-in
      </button>
      {open && (
        <Dialog open onClose={() => setOpen(false)} maxWidth="xs">
          <DialogTitle>Register it for sign-in</DialogTitle>
          <DialogContent className="stack">
            <div className="field">
              <label htmlFor="where">Where people sign in</label>
              <select id="where" value={providerId} onChange={(event) => setProvider(event.target.value)}>
                {registers.map(({ id, label }) => (
                  <option key={id} value={id}>
                    {label}
                  </option>
                ))}
              </select>
            </div>
            <RedirectField value={addresses} onChange={setAddresses} />
            <ProblemNotice error={register.error} />
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setOpen(false)}>Leave it</Button>
            <Button variant="contained" disabled={register.isPending || linesOf(addresses).length === 0} onClick={() => register.mutate()}>
              Register it
            </Button>
          </DialogActions>
        </Dialog>
      )}
    </>
  );
}

export const linesOf = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean);

export function RedirectField({ value, onChange }: { readonly value: string; readonly onChange: (value: string) => void }) {
  return (
    <div className="field">
      <label htmlFor="redirects">Redirect addresses, one on each line</label>
      <textarea id="redirects" className="mono" rows={4} spellCheck={false} value={value} onChange={(event) => onChange(event.target.value)} />
      <span className="hint">Whole addresses: after signing in, browsers are sent to one of these and to no other.</span>
    </div>
  );
}
