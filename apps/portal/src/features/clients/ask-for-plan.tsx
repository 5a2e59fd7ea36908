import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { OfferedPlan, OwnClient } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { clientsOf } from './queries';

const NEW = 'new';

/** Asks for a plan for one of the team's programs, or for one that is made for it. */
export function AskForPlan({
  plan,
  clients,
  teamId,
  onDone,
}: {
  readonly plan: Pick<OfferedPlan, 'id' | 'name' | 'approval'>;
  readonly clients: readonly Pick<OwnClient, 'id' | 'name'>[];
  readonly teamId: string | null;
  readonly onDone: () => void;
}) {
  const [clientId, setClientId] = useState(clients[0]?.id ?? NEW);
  const [name, setName] = useState('');
  const [reason, setReason] = useState('');
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const ask = useMutation({
    mutationFn: async () => {
      const base = clientsOf(teamId ?? '');
      const id = clientId === NEW ? (await api.post<OwnClient>(base, { name })).id : clientId;
      // A second try asks for the same program and makes no other one.
      setClientId(id);
      return api.post<OwnClient>(`${base}/${id}/plans`, { planId: plan.id, reason });
    },
    onSettled: () => client.invalidateQueries({ queryKey: ['clients'] }),
    onSuccess: () => {
      enqueueSnackbar(plan.approval === 'by-itself' ? 'It is yours' : 'Asked. The operator looks at it');
      onDone();
    },
  });
  return (
    <Dialog open onClose={onDone} maxWidth="xs">
      <DialogTitle>Ask for {plan.name}</DialogTitle>
      <DialogContent className="stack">
        {teamId === null ? (
          <p>
            You are of no team yet. <Link to="/team">Make one first</Link>.
          </p>
        ) : (
          <>
            <div className="field">
              <label htmlFor="for">For which program</label>
              <select id="for" value={clientId} onChange={(event) => setClientId(event.target.value)}>
                {clients.map((one) => (
                  <option key={one.id} value={one.id}>
                    {one.name}
                  </option>
                ))}
                <option value={NEW}>a new one</option>
              </select>
            </div>
            {clientId === NEW && (
              <div className="field">
                <label htmlFor="name">What it is called</label>
                <input id="name" value={name} onChange={(event) => setName(event.target.value)} />
              </div>
            )}
            <div className="field">
              <label htmlFor="reason">What you need it for</label>
              <textarea id="reason" rows={3} maxLength={1000} value={reason} onChange={(event) => setReason(event.target.value)} />
              {plan.approval === 'by-hand' && <span className="hint">Whoever approves it reads this.</span>}
            </div>
            <ProblemNotice error={ask.error} />
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onDone}>Leave it</Button>
        <Button variant="contained" disabled={teamId === null || ask.isPending || (clientId === NEW && name.trim() === '')} onClick={() => ask.mutate()}>
          Ask for it
        </Button>
      </DialogActions>
    </Dialog>
  );
}
