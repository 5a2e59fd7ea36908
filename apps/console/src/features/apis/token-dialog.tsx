import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { ApiView, OperationView, TokenOverrideDto } from '@virga/protocol';
import { useState } from 'react';
import { api as control } from '../../client/api';
import { ProblemNotice } from '../../parts/problem-notice';
import { MEMBER_NAMES, TOKEN_MEMBERS, TokenField, type TokenMember } from './token-fields';

/** Members that are set together, because one says nothing without the other. */
const TOGETHER: Readonly<Partial<Record<TokenMember, readonly (keyof TokenOverrideDto)[]>>> = {
  audiences: ['audiences', 'anyAudience'],
  dpop: ['dpop', 'dpopNonce'],
};
const partsOf = (member: TokenMember): readonly (keyof TokenOverrideDto)[] => TOGETHER[member] ?? [member];

/** What chosen operations ask of tokens instead of their API. Members that are not ticked are the API's. */
export function TokenDialog({
  api,
  operations,
  onClose,
}: {
  readonly api: ApiView;
  readonly operations: readonly OperationView[];
  readonly onClose: () => void;
}) {
  const [rule, setRule] = useState<TokenOverrideDto>(() => (operations.length === 1 ? (operations[0]?.token ?? {}) : {}));
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: () =>
      control.patch(`/apis/${api.id}/operations`, { ids: operations.map((item) => item.id), token: Object.keys(rule).length === 0 ? null : rule }),
    onSuccess: async () => {
      await client.invalidateQueries();
      onClose();
    },
  });
  const flip = (member: TokenMember, own: boolean) => {
    const next = { ...rule };
    for (const part of partsOf(member)) {
      if (own) Object.assign(next, { [part]: api.token[part] ?? (part === 'stepUp' ? { acrValues: [], maxAgeSeconds: 900 } : null) });
      else delete next[part];
    }
    setRule(next);
  };
  const one = operations.length === 1 ? operations[0] : null;
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle style={{ overflowWrap: 'anywhere' }}>
        {one ? `Tokens of ${one.method} ${one.path}` : `Tokens of these ${operations.length} operations`}
      </DialogTitle>
      <DialogContent className="stack">
        <p className="quiet" style={{ margin: 0 }}>
          Tick what is to differ from the API; the rest stays as the API has it.
        </p>
        {TOKEN_MEMBERS.map((member) => {
          const own = partsOf(member).some((part) => rule[part] !== undefined);
          return (
            <div key={member} className="stack" style={{ gap: 6 }}>
              <label className="check">
                <input type="checkbox" checked={own} onChange={(event) => flip(member, event.target.checked)} /> {MEMBER_NAMES[member]}
              </label>
              {own && (
                <div style={{ paddingLeft: 24 }} className="stack">
                  <TokenField member={member} id={`own-${member}`} rule={rule} set={(change) => setRule({ ...rule, ...change })} />
                </div>
              )}
            </div>
          );
        })}
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
