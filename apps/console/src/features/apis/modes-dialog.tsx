import { MODED_CHECKS, STEP_NAMES, type CheckMode, type ModedCheck } from '@virga/core';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import type { ApiView, ModesDto, OperationView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { api as control, withQuery } from '../../client/api';
import { Mark } from '../../parts/mark';
import { ProblemNotice } from '../../parts/problem-notice';
import { count } from '../../parts/time';

const ENFORCED: ModesDto = { all: 'enforce', checks: {} };

/** Says what refuses and what only observes: for the API, or for chosen operations. With what enforcing would have refused, before it is switched. */
export function ModesDialog({
  api,
  operations,
  onClose,
}: {
  readonly api: ApiView;
  readonly operations: readonly OperationView[] | null;
  readonly onClose: () => void;
}) {
  const before = operations === null ? api.modes : operations.length === 1 ? (operations[0]?.modes ?? null) : null;
  const [modes, setModes] = useState<ModesDto | null>(before);
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: () =>
      operations === null
        ? control.patch(`/apis/${api.id}`, { modes: modes ?? ENFORCED })
        : control.patch(`/apis/${api.id}/operations`, { ids: operations.map((item) => item.id), modes }),
    onSuccess: async () => {
      await client.invalidateQueries();
      onClose();
    },
  });
  const one = operations?.length === 1 ? operations[0] : null;
  const of = operations === null ? api.name : one ? `${one.method} ${one.path}` : `these ${operations.length} operations`;
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle style={{ overflowWrap: 'anywhere' }}>What refuses, and what only observes: {of}</DialogTitle>
      <DialogContent className="stack">
        <Counted api={api} operations={operations} />
        <div className="stack" role="radiogroup" aria-label="Mode of all checks" style={{ gap: 6 }}>
          {operations !== null && (
            <label className="check">
              <input type="radio" name="all" checked={modes === null} onChange={() => setModes(null)} /> as the API says
            </label>
          )}
          <label className="check">
            <input type="radio" name="all" checked={modes?.all === 'enforce'} onChange={() => setModes({ all: 'enforce', checks: {} })} /> every check refuses
          </label>
          <label className="check">
            <input type="radio" name="all" checked={modes?.all === 'observe'} onChange={() => setModes({ all: 'observe', checks: {} })} /> every check only
            observes: whoever it would refuse gets in, and is counted
          </label>
        </div>
        {modes && <Single modes={modes} onChange={setModes} />}
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

/** What enforcing would have refused. */
function Counted({ api, operations }: { readonly api: ApiView; readonly operations: readonly OperationView[] | null }) {
  const requests = operations?.reduce((sum, item) => sum + item.requests, 0) ?? api.requests;
  const would = operations?.reduce((sum, item) => sum + item.wouldRefuse, 0) ?? api.wouldRefuse;
  const operation = operations?.length === 1 ? operations[0]?.id : undefined;
  return (
    <p style={{ margin: 0 }}>
      <Mark kind={would > 0 ? 'would-refuse' : 'skipped'} word="would refuse" /> In the last 24 hours, of {count(requests)} requests{' '}
      {would === 0 ? (
        'nothing was observed that enforcing would have refused.'
      ) : (
        <>
          <Link to={withQuery('/traces', { outcome: 'would-refuse', api: api.id, operation })}>{count(would)} would have been refused</Link>.
        </>
      )}
    </p>
  );
}

/** Single checks that differ from the rest. */
function Single({ modes, onChange }: { readonly modes: ModesDto; readonly onChange: (modes: ModesDto) => void }) {
  const set = (check: ModedCheck, mode: CheckMode) => {
    const checks = { ...modes.checks };
    if (mode === modes.all) delete checks[check];
    else checks[check] = mode;
    onChange({ ...modes, checks });
  };
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Check</th>
          <th>refuses</th>
          <th>observes</th>
        </tr>
      </thead>
      <tbody>
        {MODED_CHECKS.map((check) => (
          <tr key={check}>
            <td>{STEP_NAMES[check]}</td>
            {(['enforce', 'observe'] as const).map((mode) => (
              <td key={mode}>
                <input
                  type="radio"
                  name={check}
                  aria-label={`${STEP_NAMES[check]} ${mode === 'enforce' ? 'refuses' : 'observes'}`}
                  checked={(modes.checks[check] ?? modes.all) === mode}
                  onChange={() => set(check, mode)}
                />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
