import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { ApiView, MessageOverrideDto, OperationView } from '@virga/protocol';
import { useState } from 'react';
import { api as control } from '../../client/api';
import { ProblemNotice } from '../../parts/problem-notice';
import { MESSAGE_MEMBERS, MESSAGE_NAMES, MessageField, type MessageMember } from './message-fields';

/** What chosen operations ask of bodies instead of their API. Members that are not ticked are the API's. */
export function MessageDialog({
  api,
  operations,
  onClose,
}: {
  readonly api: ApiView;
  readonly operations: readonly OperationView[];
  readonly onClose: () => void;
}) {
  const [rule, setRule] = useState<MessageOverrideDto>(() => (operations.length === 1 ? (operations[0]?.message ?? {}) : {}));
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: () =>
      control.patch(`/apis/${api.id}/operations`, { ids: operations.map((item) => item.id), message: Object.keys(rule).length === 0 ? null : rule }),
    onSuccess: async () => {
      await client.invalidateQueries();
      onClose();
    },
  });
  const flip = (member: MessageMember, own: boolean) => {
    const next = { ...rule };
    if (own) Object.assign(next, { [member]: api.message[member] });
    else delete next[member];
    setRule(next);
  };
  const one = operations.length === 1 ? operations[0] : null;
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle style={{ overflowWrap: 'anywhere' }}>
        {one ? `Bodies of ${one.method} ${one.path}` : `Bodies of these ${operations.length} operations`}
      </DialogTitle>
      <DialogContent className="stack">
        <p className="quiet" style={{ margin: 0 }}>
          Tick what is to differ from the API; the rest stays as the API has it.
        </p>
        {MESSAGE_MEMBERS.map((member) => (
          <div key={member} className="stack" style={{ gap: 6 }}>
            <label className="check">
              <input type="checkbox" checked={rule[member] !== undefined} onChange={(event) => flip(member, event.target.checked)} /> {MESSAGE_NAMES[member]}
            </label>
            {rule[member] !== undefined && (
              <div style={{ paddingLeft: 24 }}>
                <MessageField member={member} id={`own-${member}`} rule={rule} set={(change) => setRule({ ...rule, ...change })} />
              </div>
            )}
          </div>
        ))}
        <ProblemNotice error={save.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" disabled={save.isPending} onClick={() => save.mutate()}>
          Set in the draft
        </Button>
      </DialogActions>
    </Dialog>
  );
}
