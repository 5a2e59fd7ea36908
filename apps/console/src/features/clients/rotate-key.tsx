import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { Field, ProblemNotice } from '@virga/parts';
import type { ClientView, CredentialMade, CredentialView } from '@virga/protocol';
import { useState } from 'react';
import { Secret } from './make-credential';
import { rotateKey } from './queries';
import { useClientChange } from '../../client/directory-change';

const OVERLAPS = [
  [0, 'not at all: the old one ends at once'],
  [1, 'one hour'],
  [24, 'one day'],
  [168, 'one week'],
  [720, 'thirty days'],
] as const;

/** Makes a key or a Basic secret that takes the place of another, with some time in which both are accepted. */
export function RotateKey({ client, credential, onClose }: { readonly client: ClientView; readonly credential: CredentialView; readonly onClose: () => void }) {
  const [hours, setHours] = useState(168);
  const [made, setMade] = useState<CredentialMade | null>(null);
  const rotate = useClientChange(rotateKey(client.id, credential.id), setMade);
  if (made) return <Secret made={made} client={client} onClose={onClose} />;
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle>Rotate “{credential.name}”</DialogTitle>
      <DialogContent className="stack">
        <Field id="rotate-overlap" label="Both are accepted for" hint="Long enough for everybody who uses the old one to change over.">
          <select id="rotate-overlap" value={hours} onChange={(event) => setHours(Number(event.target.value))}>
            {OVERLAPS.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        </Field>
        <ProblemNotice error={rotate.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" disabled={rotate.isPending} onClick={() => rotate.mutate(hours)}>
          Make the new one
        </Button>
      </DialogActions>
    </Dialog>
  );
}
