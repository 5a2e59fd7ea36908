import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';

const KEYS: readonly (readonly [string, string])[] = [
  ['Ctrl K', 'Find any API, operation, provider, persona, release or action'],
  ['`', 'Open or close the probe'],
  ['Ctrl Enter', 'Send the probe, while it has the focus'],
  ['↑ ↓', 'Move in a list'],
  ['Enter', 'Open what is marked in a list'],
  ['Space', 'Select an operation'],
  ['Esc', 'Close what floats'],
  ['?', 'This list'],
];

export function KeyHelp({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} maxWidth="xs">
      <DialogTitle>Keys</DialogTitle>
      <DialogContent>
        <dl className="facts">
          {KEYS.map(([key, does]) => (
            <div key={key} style={{ display: 'contents' }}>
              <dt>
                <kbd>{key}</kbd>
              </dt>
              <dd>{does}</dd>
            </div>
          ))}
        </dl>
      </DialogContent>
    </Dialog>
  );
}
