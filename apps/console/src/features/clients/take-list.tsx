import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { count, Field, ProblemNotice, saveCsv } from '@virga/parts';
import type { ClientListLine, ClientListReport } from '@virga/protocol';
import { useState } from 'react';
import { CsvFile } from '../../parts/csv-file';
import { DataTable } from '../../parts/data-table';
import { Mark, type MarkKind } from '../../parts/mark';
import { takeClients } from './queries';

const MARKS: Readonly<Record<ClientListLine['becomes'], MarkKind>> = { added: 'passed', changed: 'would-refuse', same: 'skipped', wrong: 'refused' };
const BEGINNING = 'name,owner,contact,roles,enabled,metadata,key_name,key\n';

/** Takes clients in from CSV: looked at first, line by line, then all of them or none. */
export function TakeList({ onClose }: { readonly onClose: () => void }) {
  const [text, setText] = useState(BEGINNING);
  const client = useQueryClient();
  const take = useMutation({
    mutationFn: takeClients,
    onSuccess: async (report) => {
      if (report.done) await client.invalidateQueries({ queryKey: ['clients'] });
    },
  });
  const report = take.data ?? null;
  const change = (typed: string) => {
    setText(typed);
    take.reset();
  };
  if (report?.done) return <Taken report={report} onClose={onClose} />;
  const looked = report !== null && report.wrong === 0;
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>Take a list of clients in</DialogTitle>
      <DialogContent className="stack">
        <Field
          id="client-csv"
          label="CSV, the first line names the columns"
          hint={
            <>
              Columns: id, name, owner, contact, description, enabled, roles, metadata, key_name, key. A line with an id changes that client. In key stands a
              key that the client has already, or the word <b>new</b> to make one.
            </>
          }
        >
          <textarea id="client-csv" className="mono small" rows={8} spellCheck={false} value={text} onChange={(event) => change(event.target.value)} />
        </Field>
        <div className="row small">
          <CsvFile label="CSV file of clients" onText={change} />
        </div>
        <ProblemNotice error={take.error} />
        {report && (
          <>
            <p style={{ margin: 0 }}>
              {count(report.added)} to add, {count(report.changed)} to change, {count(report.same)} as they are,{' '}
              <b className={report.wrong > 0 ? 'rust' : ''}>{count(report.wrong)} wrong</b>.{report.wrong > 0 && ' With anything wrong nothing is taken in.'}
            </p>
            <Lines lines={report.lines} />
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="outlined" disabled={take.isPending} onClick={() => take.mutate({ text, tryOnly: true })}>
          Look at it
        </Button>
        <Button variant="contained" disabled={!looked || take.isPending} onClick={() => take.mutate({ text, tryOnly: false })}>
          Take all of it in
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** So many lines are listed, those that are wrong first. */
const LISTED = 200;

function Lines({ lines }: { readonly lines: readonly ClientListLine[] }) {
  const sorted = [...lines].sort((a, b) => Number(b.becomes === 'wrong') - Number(a.becomes === 'wrong') || a.line - b.line);
  return (
    <div style={{ maxHeight: 260, overflow: 'auto' }}>
      <DataTable
        items={sorted.slice(0, LISTED)}
        label="Lines"
        keyOf={({ line }) => line}
        columns={[
          { cell: ({ becomes }) => <Mark kind={MARKS[becomes]} word={becomes} /> },
          { head: 'Line', className: 'number', cell: ({ line }) => line },
          { head: 'Name', cell: ({ name }) => name },
          {
            head: 'What becomes of it',
            cell: ({ becomes, problems }) => (problems.length > 0 ? <span className="rust">{problems.join('; ')}</span> : becomes),
          },
        ]}
      />
      {lines.length > LISTED && <p className="quiet">and {count(lines.length - LISTED)} more.</p>}
    </div>
  );
}

function Taken({ report, onClose }: { readonly report: ClientListReport; readonly onClose: () => void }) {
  const keys = report.lines.filter(({ key }) => key !== null);
  const [kept, setKept] = useState(keys.length === 0);
  const download = () => {
    saveCsv('keys.csv', [['client', 'name', 'key'], ...keys.map(({ clientId, name, key }) => [clientId ?? '', name, key ?? ''])]);
    setKept(true);
  };
  return (
    <Dialog open maxWidth="sm" fullWidth>
      <DialogTitle>Taken in</DialogTitle>
      <DialogContent className="stack">
        <p style={{ margin: 0 }}>
          {count(report.added)} added, {count(report.changed)} changed, {count(report.same)} as they were.
        </p>
        {keys.length > 0 && (
          <>
            <p className="ochre" style={{ margin: 0 }}>
              {count(keys.length)} {keys.length === 1 ? 'key was' : 'keys were'} made. They can be taken now and never again: only hashes are kept.
            </p>
            <div>
              <Button variant="outlined" onClick={download}>
                Take the keys as a file
              </Button>
            </div>
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button variant="contained" disabled={!kept} onClick={onClose}>
          {keys.length > 0 ? 'I have put them away' : 'Close'}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
