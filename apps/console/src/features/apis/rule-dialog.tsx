import Button from '@mui/material/Button';
import Dialog, { type DialogProps } from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { ApiPatch, ApiView, OperationsPatch, OperationView } from '@virga/protocol';
import { useState, type ReactNode } from 'react';
import { api as control, ApiProblem } from '../../client/api';

/** What a dialog about rules is about: operations, or the API for all that have no rule of their own. */
export interface RuleSubject {
  readonly api: ApiView;
  /** Null for the API. */
  readonly operations: readonly OperationView[] | null;
  readonly onClose: () => void;
}

/** What a rule is of, in words. */
export function subjectWords({ api, operations }: RuleSubject): string {
  if (operations === null) return api.name;
  const [one] = operations;
  return operations.length === 1 && one ? `${one.method} ${one.path}` : `these ${operations.length} operations`;
}

/** The one operation that a dialog is about; null for several and for the API. */
export const onlyOne = ({ operations }: RuleSubject): OperationView | null => (operations?.length === 1 ? (operations[0] ?? null) : null);

/**
 * A dialog that sets one rule of an API or of operations in the draft. It begins from what the API is when it opens; where
 * somebody else changed the API meanwhile, nothing is set before one has seen what.
 */
export function RuleDialog({
  subject,
  title,
  width = 'sm',
  patch,
  children,
}: {
  readonly subject: RuleSubject;
  readonly title: string;
  readonly width?: DialogProps['maxWidth'];
  /** The members to set; null while there is nothing to set yet. */
  readonly patch: (Omit<OperationsPatch, 'ids'> & Pick<ApiPatch, 'unmatched' | 'learning' | 'sensitive'>) | null;
  readonly children: ReactNode;
}) {
  const { api, operations, onClose } = subject;
  const [began] = useState(api.revision);
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: (over: boolean) => {
      const revision = over ? null : began;
      return operations === null
        ? control.patch(`/apis/${api.id}`, patch, revision)
        : control.patch(`/apis/${api.id}/operations`, { ids: operations.map(({ id }) => id), ...patch }, revision);
    },
    onSuccess: async () => {
      await client.invalidateQueries();
      onClose();
    },
    onError: () => void client.invalidateQueries(),
  });
  const stale = save.error instanceof ApiProblem && save.error.status === 412;
  return (
    <Dialog open onClose={onClose} maxWidth={width} fullWidth>
      <DialogTitle style={{ overflowWrap: 'anywhere' }}>{title}</DialogTitle>
      <DialogContent className="stack">{children}</DialogContent>
      {/* Not in what scrolls: it must be seen. */}
      {save.error && (
        <div className="stack" style={{ padding: '8px 24px 0' }}>
          <ProblemNotice error={save.error} />
          {stale && (
            <button type="button" className="link rust" onClick={() => save.mutate(true)}>
              set mine over it
            </button>
          )}
        </div>
      )}
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" disabled={patch === null || save.isPending} onClick={() => save.mutate(false)}>
          Set in the draft
        </Button>
      </DialogActions>
    </Dialog>
  );
}
