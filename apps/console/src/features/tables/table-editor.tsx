import Button from '@mui/material/Button';
import { faultOfNewTable } from '@virga/core';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Confirm, count, Field, ProblemNotice } from '@virga/parts';
import type { TableView } from '@virga/protocol';
import { csvFormatRows, csvParseRows } from 'd3';
import { useState, type SyntheticEvent } from 'react';
import { api, ApiProblem } from '../../client/api';
import { CsvFile } from '../../parts/csv-file';
import { LeaveGuard } from '../../parts/leave-guard';
import { useSetTable } from './queries';
import { RowGrid } from './row-grid';

/** Beyond so many rows a table is edited as CSV only. */
const GRID_ROWS = 200;

/** One table: its name, its key, its rows, as a grid or as CSV. */
export function TableEditor({ table, onDone }: { readonly table: TableView | null; readonly onDone: (name: string | null) => void }) {
  const [name, setName] = useState(table?.name ?? '');
  const [description, setDescription] = useState(table?.description ?? '');
  const [key, setKey] = useState(table?.key ?? '');
  const [columns, setColumns] = useState<readonly string[]>(table?.columns ?? ['']);
  const [rows, setRows] = useState<readonly (readonly string[])[]>(table?.rows ?? []);
  const [changed, setChanged] = useState(false);
  const [csv, setCsv] = useState<string | null>(null);
  const [asking, setAsking] = useState(false);
  const client = useQueryClient();
  const set = useSetTable((made) => {
    setChanged(false);
    onDone(made);
  });
  const remove = useMutation({
    mutationFn: () => api.remove(`/tables/${encodeURIComponent(name)}`),
    onSuccess: async () => {
      onDone(null);
      await client.invalidateQueries();
    },
  });
  const keyed = columns.includes(key) ? key : (columns[0] ?? '');
  const fault = faultOfNewTable({ id: name, key: keyed, columns, rows });
  const padded = fault !== null && rows.some((row) => row.some((value) => value !== value.trim()));
  const stale = set.error instanceof ApiProblem && set.error.status === 412;
  const touch =
    <T,>(put: (value: T) => void) =>
    (value: T) => {
      setChanged(true);
      put(value);
    };
  const save = (revision: string | null) =>
    set.mutate({ name, input: { description, key: keyed, columns: [...columns], rows: rows.map((row) => [...row]) }, revision });
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    save(table?.revision ?? null);
  };
  const take = (text: string) => {
    const [head = [], ...body] = csvParseRows(text.replace(/^\uFEFF/, '')).filter((row) => row.some((value) => value !== ''));
    setChanged(true);
    setColumns(head.map((column) => column.trim()));
    setRows(body);
    setCsv(null);
  };
  return (
    <form className="stack" onSubmit={submit} noValidate>
      <div className="row wrap" style={{ alignItems: 'flex-start' }}>
        <Field id="table-name" label="Name" hint={name === '' ? 'as conditions call it' : `resource.${name}`}>
          <input
            id="table-name"
            className="mono"
            style={{ width: 180 }}
            value={name}
            disabled={table !== null}
            onChange={(event) => touch(setName)(event.target.value)}
          />
        </Field>
        <div className="grow">
          <Field id="table-about" label="What it is for">
            <input id="table-about" maxLength={500} value={description} onChange={(event) => touch(setDescription)(event.target.value)} />
          </Field>
        </div>
        <Field id="table-key" label="Rows are found by">
          <select id="table-key" value={keyed} onChange={(event) => touch(setKey)(event.target.value)}>
            {columns.map((column, index) => (
              <option key={index}>{column}</option>
            ))}
          </select>
        </Field>
      </div>
      <div className="row wrap small">
        <span className="quiet">
          {count(rows.length)} {rows.length === 1 ? 'row' : 'rows'}
        </span>
        <button type="button" className="link" onClick={() => setCsv(csv === null ? csvFormatRows([[...columns], ...rows.map((row) => [...row])]) : null)}>
          {csv === null ? 'as CSV' : 'as a table'}
        </button>
        <CsvFile label="CSV file" onText={take} />
      </div>
      {csv !== null && (
        <div className="stack" style={{ gap: 6 }}>
          <Field id="table-csv" label="CSV, the first line names the columns">
            <textarea id="table-csv" className="mono" rows={12} spellCheck={false} value={csv} onChange={(event) => setCsv(event.target.value)} />
          </Field>
          <div>
            <Button variant="outlined" onClick={() => take(csv)}>
              Take these rows
            </Button>
          </div>
        </div>
      )}
      {csv === null && rows.length <= GRID_ROWS && <RowGrid columns={columns} rows={rows} onColumns={touch(setColumns)} onRows={touch(setRows)} />}
      {csv === null && rows.length > GRID_ROWS && (
        <p className="quiet" style={{ margin: 0 }}>
          With more than {GRID_ROWS} rows it is edited as CSV. The first: {rows[0]?.join(', ')}.
        </p>
      )}
      {fault && (changed || table !== null) && (
        <p className="rust" style={{ margin: 0 }}>
          {`It cannot be set yet: ${fault.says}. `}
          {padded && (
            <button type="button" className="link" onClick={() => touch(setRows)(rows.map((row) => row.map((value) => value.trim())))}>
              take all blanks at ends away
            </button>
          )}
        </p>
      )}
      <ProblemNotice error={set.error ?? remove.error} />
      <div className="row">
        <Button type="submit" variant="contained" disabled={fault !== null || !changed || csv !== null || set.isPending}>
          {set.isPending ? 'Setting it' : 'Set it now'}
        </Button>
        {stale && (
          <button type="button" className="link rust" onClick={() => save(null)}>
            set mine over it
          </button>
        )}
        <button type="button" className="link" onClick={() => onDone(null)}>
          leave it
        </button>
        {table && (
          <button type="button" className="link rust" style={{ marginLeft: 'auto' }} onClick={() => setAsking(true)}>
            take the table away
          </button>
        )}
      </div>
      <LeaveGuard when={changed && !set.isPending && !set.isSuccess} />
      {asking && table && (
        <Confirm title={`Take the table ${table.name} away?`} action="Take it away" onYes={() => remove.mutate()} onNo={() => setAsking(false)}>
          {table.askedBy.length === 0
            ? 'No condition of the draft looks at it.'
            : `${table.askedBy.join(', ')} ${table.askedBy.length === 1 ? 'looks' : 'look'} at it and will refuse every request from then on.`}
        </Confirm>
      )}
    </form>
  );
}
