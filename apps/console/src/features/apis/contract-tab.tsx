import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { ApiView, ContractSourceInput, ReimportView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { lazy, Suspense, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api as control } from '../../client/api';
import { Changes } from './contract-changes';
import { ContractDialog } from './contract-dialog';
import { ContractEditor } from './contract-editor';
import { Reading } from './contract-reading';
import { ContractSource } from './contract-source';
import { UnmatchedDialog } from './unmatched-dialog';
import { contractQuery } from './queries';

const CodeEditor = lazy(() => import('../../parts/code-editor'));

/** The contract as it was brought in, and a newer one with what it changes. */
export function ContractTab({ api }: { readonly api: ApiView }) {
  const { data: contract, error } = useQuery(contractQuery(api.id));
  const [source, setSource] = useState<ContractSourceInput>({ text: '' });
  const [opening, setOpening] = useState(false);
  const [checking, setChecking] = useState(false);
  const [editing, setEditing] = useState(false);
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const look = useMutation({ mutationFn: () => control.put<ReimportView>(`/apis/${api.id}/contract`, { source, dryRun: true }) });
  const take = useMutation({
    mutationFn: () => control.put<ReimportView>(`/apis/${api.id}/contract`, { source }),
    onSuccess: async (view) => {
      enqueueSnackbar(`${view.changes.length} operations changed in the draft`);
      look.reset();
      await client.invalidateQueries();
    },
  });
  const [query] = useSearchParams();
  const line = query.has('line') ? Number(query.get('line')) : undefined;
  const given = (source.text ?? source.url ?? '') !== '';
  if (editing && contract) return <ContractEditor api={api} contract={contract} line={line} onClose={() => setEditing(false)} />;
  return (
    <div className="columns">
      <section className="stack">
        <div className="row spread">
          <h2>As it is</h2>
          <span>
            {contract && contract.text.length <= 400_000 && (
              <>
                <button className="link" onClick={() => setEditing(true)}>
                  edit it here
                </button>
                ,{' '}
              </>
            )}
            <button className="link" onClick={() => setOpening(true)}>
              paths without an operation
            </button>
            , <Link to={`/contract?api=${api.id}`}>what differs from it</Link>,{' '}
            <button className="link" onClick={() => setChecking(true)}>
              what of it is checked
            </button>
          </span>
        </div>
        <ProblemNotice error={error} />
        {contract &&
          (contract.text.length > 400_000 ? (
            <pre className="sheet" style={{ height: 480 }}>
              {contract.text.slice(0, 100_000)}
              {'\n… the text is longer than can be shown'}
            </pre>
          ) : (
            <Suspense fallback={<p className="quiet">Opening the editor…</p>}>
              <CodeEditor label="Contract" height="calc(100vh - 330px)" value={contract.text} format={contract.format} line={line} />
            </Suspense>
          ))}
      </section>
      <section className="stack">
        <h2>Bring in a newer contract</h2>
        <p className="quiet" style={{ margin: 0 }}>
          Rules that were set by hand stay with their operations; what the contract declares is replaced.
        </p>
        <ContractSource value={source} onChange={(next) => (setSource(next), look.reset())} />
        <div className="row">
          <Button variant="outlined" disabled={!given || look.isPending} onClick={() => look.mutate()}>
            {look.isPending ? 'Reading…' : 'See what changes'}
          </Button>
          {look.data && (
            <Button variant="contained" disabled={take.isPending} onClick={() => take.mutate()}>
              Take it into the draft
            </Button>
          )}
        </div>
        <ProblemNotice error={look.error ?? take.error} />
        {look.data && (
          <>
            <Reading reading={look.data.reading} />
            {look.data.changes.length === 0 ? <p>No operation is added, removed or changed.</p> : <Changes changes={look.data.changes} />}
          </>
        )}
      </section>
      {opening && <UnmatchedDialog api={api} operations={null} onClose={() => setOpening(false)} />}
      {checking && <ContractDialog api={api} operations={null} onClose={() => setChecking(false)} />}
    </div>
  );
}
