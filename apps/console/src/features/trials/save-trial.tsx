import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import type { SavedTrialInput, SavedTrialView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { api } from '../../client/api';

/** Offers to save a request, to be tried before every release. */
export function SaveTrial({
  of,
  name: suggested,
  expected: came,
}: {
  readonly of: Pick<SavedTrialInput, 'traceId' | 'call'>;
  readonly name: string;
  readonly expected: 'refused' | 'passed';
}) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button className="link" onClick={() => setOpen(true)}>
        Save it as a trial
      </button>
      {open && <SaveDialog of={of} suggested={suggested} came={came} onClose={() => setOpen(false)} />}
    </>
  );
}

function SaveDialog({
  of,
  suggested,
  came,
  onClose,
}: {
  readonly of: Pick<SavedTrialInput, 'traceId' | 'call'>;
  readonly suggested: string;
  readonly came: 'refused' | 'passed';
  readonly onClose: () => void;
}) {
  const [name, setName] = useState(suggested);
  const [expected, setExpected] = useState(came);
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const save = useMutation({
    mutationFn: () => api.post<SavedTrialView>('/trials/saved', { ...of, name: name.trim(), expected }),
    onSuccess: async () => {
      enqueueSnackbar('Saved; it is tried before every release');
      await client.invalidateQueries();
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle>Save it as a trial</DialogTitle>
      <DialogContent className="stack">
        <p>It is decided again before every release, at its own time and with what its caller’s credential said; the credential itself is not kept.</p>
        <Field id="trial-name" label="Name">
          <input id="trial-name" value={name} maxLength={200} autoFocus onChange={(event) => setName(event.target.value)} />
        </Field>
        <div className="row wrap">
          {(['refused', 'passed'] as const).map((one) => (
            <label key={one} className="check">
              <input type="radio" name="trial-expected" checked={expected === one} onChange={() => setExpected(one)} /> it must{' '}
              {one === 'refused' ? 'stay refused' : 'go on passing'}
            </label>
          ))}
        </div>
        <ProblemNotice error={save.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Not now</Button>
        <Button variant="contained" disabled={name.trim() === '' || save.isPending} onClick={() => save.mutate()}>
          Save
        </Button>
      </DialogActions>
    </Dialog>
  );
}
