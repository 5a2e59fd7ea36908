import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useState } from 'react';
import { useStanding } from '../../client/standing';
import { ProblemNotice } from '../../parts/problem-notice';
import { ChangeList } from './change-list';
import { useGoLive } from './queries';

/** Says what becomes live, takes a note, publishes. */
export function PublishDialog({ onClose }: { readonly onClose: () => void }) {
  const { data: standing } = useStanding();
  const [note, setNote] = useState('');
  const publish = useGoLive('/releases');
  if (!standing) return null;
  const problems = standing.problems;
  return (
    <Dialog open onClose={onClose}>
      <DialogTitle>Publish to {standing.environment}</DialogTitle>
      <DialogContent className="stack">
        <ChangeList changes={standing.changes} total={standing.changeCount} />
        <div className="field">
          <label htmlFor="publish-note">Note, kept with the release</label>
          <input id="publish-note" value={note} maxLength={500} onChange={(event) => setNote(event.target.value)} autoFocus />
        </div>
        {problems.length > 0 && (
          <div className="notice wrong" role="alert">
            <b>The draft cannot be published.</b>
            {problems.map((item) => (
              <div key={item.pointer}>
                {item.detail} <span className="mono quiet small">{item.pointer}</span>
              </div>
            ))}
          </div>
        )}
        <ProblemNotice error={publish.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Not yet</Button>
        <Button variant="contained" disabled={publish.isPending || problems.length > 0} onClick={() => publish.mutate(note, { onSuccess: onClose })}>
          {publish.isPending ? 'Publishing…' : 'Publish'}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
