import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useState, type ReactNode } from 'react';

/** Asks before a step that takes something away; `name`, when given, has to be typed. */
export function Confirm({
  title,
  children,
  action,
  name,
  onYes,
  onNo,
}: {
  readonly title: string;
  readonly children: ReactNode;
  readonly action: string;
  readonly name?: string;
  readonly onYes: () => void;
  readonly onNo: () => void;
}) {
  const [typed, setTyped] = useState('');
  return (
    <Dialog open onClose={onNo} maxWidth="xs">
      <DialogTitle>{title}</DialogTitle>
      <DialogContent className="stack">
        <div>{children}</div>
        {name !== undefined && (
          <div className="field">
            <label htmlFor="confirm-name">Type {name} to go on</label>
            <input id="confirm-name" value={typed} onChange={(event) => setTyped(event.target.value)} autoFocus />
          </div>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onNo}>Keep it</Button>
        <Button color="error" variant="contained" disabled={name !== undefined && typed !== name} onClick={onYes}>
          {action}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
