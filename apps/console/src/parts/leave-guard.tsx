import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import { useEffect, useState } from 'react';
import { useBlocker, useNavigate } from 'react-router';

/** Asks before what was typed is left behind. */
export function LeaveGuard({ when }: { readonly when: boolean }) {
  const blocker = useBlocker(when);
  useEffect(() => {
    if (!when) return undefined;
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [when]);
  if (blocker.state !== 'blocked') return null;
  return (
    <Dialog open onClose={() => blocker.reset()} maxWidth="xs">
      <DialogContent>What you typed here is not saved.</DialogContent>
      <DialogActions>
        <Button onClick={() => blocker.proceed()}>Leave it behind</Button>
        <Button variant="contained" onClick={() => blocker.reset()} autoFocus>
          Stay
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** Where to go once what was typed is kept. Goes there after the guard has let go, so that it does not ask. */
export function useArrival(): readonly [string | null, (path: string) => void] {
  const [path, setPath] = useState<string | null>(null);
  const navigate = useNavigate();
  useEffect(() => {
    if (path !== null) void navigate(path);
  }, [path, navigate]);
  return [path, setPath];
}
