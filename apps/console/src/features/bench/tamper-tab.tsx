import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import type { TamperRow, TamperView } from '@virga/protocol';
import { useContext } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../client/api';
import { Mark } from '../../parts/mark';
import { BenchContext } from './bench-state';
import { isAimed, TargetPicker } from './target-picker';

const RESULTS: Readonly<Record<TamperRow['result'], string>> = {
  stopped: 'stopped, as expected',
  'stopped-otherwise': 'stopped by another check',
  passed: 'GOT THROUGH',
};

/** Variants of a token with one thing changed, each held against the same rule: what should stop it, and what did. */
export function TamperTab() {
  const { token, target, set } = useContext(BenchContext);
  const run = useMutation({ mutationFn: (input: object) => api.post<TamperView>('/bench/tamperings', input) });
  const question = { ...target, token };
  const answer = JSON.stringify(run.variables) === JSON.stringify(question) ? run.data : undefined;
  const rows = answer?.rows ?? [];
  const through = rows.filter((row) => row.result === 'passed').length;
  return (
    <div className="stack">
      <div className="columns bench">
        <Field
          id="tamper-token"
          label="A signed JWT; one that passes shows most"
          hint="Tokens of the bench’s own issuer are signed again after the change, others keep their old signature"
        >
          <textarea
            id="tamper-token"
            className="mono"
            rows={4}
            spellCheck={false}
            value={token}
            onChange={(event) => set({ token: event.target.value.trim(), paste: event.target.value })}
          />
        </Field>
        <div className="stack">
          <TargetPicker />
          <div>
            <Button variant="contained" disabled={token === '' || !isAimed(target) || run.isPending} onClick={() => run.mutate(question)}>
              {run.isPending ? 'Trying…' : 'Try every change'}
            </Button>
          </div>
        </div>
      </div>
      <ProblemNotice error={run.error} />
      {answer && (
        <div className={through > 0 ? 'notice wrong' : 'notice fine'} aria-live="polite">
          {through > 0 ? `${through} of ${rows.length} got through.` : `All ${rows.length} were stopped.`} <span className="quiet">{answer.target}</span>
        </div>
      )}
      {rows.length > 0 && <Rows rows={rows} />}
      {!answer && (
        <p className="quiet">
          Each variant differs from the token in one thing: an edited payload, no signature, a key carried along, a second spelling. None of them may pass.
        </p>
      )}
    </div>
  );
}

function Rows({ rows }: { readonly rows: readonly TamperRow[] }) {
  const { set } = useContext(BenchContext);
  const navigate = useNavigate();
  return (
    <table className="list" aria-label="Variants">
      <thead>
        <tr>
          <th>Changed</th>
          <th>Should be stopped by</th>
          <th>Was</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.id}>
            <td>{row.title}</td>
            <td className="mono small">{row.expected.join(' or ')}</td>
            <td>
              <Mark kind={row.result === 'passed' ? 'passed' : 'refused'} word={RESULTS[row.result]} />{' '}
              <span className={row.result === 'passed' ? 'rust' : ''}>
                {row.status ?? ''} {RESULTS[row.result]}
              </span>
              <div className="quiet small">{row.sentence}</div>
            </td>
            <td className="small">
              <button
                className="link"
                onClick={() => {
                  set({ paste: row.token, token: row.token, proof: '' });
                  void navigate('/bench');
                }}
              >
                read
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
