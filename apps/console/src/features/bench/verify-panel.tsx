import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import type { BenchTarget, CheckView, ExamineView, StepView } from '@virga/protocol';
import { useContext } from 'react';
import { api } from '../../client/api';
import { Mark, markOf } from '../../parts/mark';
import { WhyContext } from '../../parts/why';
import { PrincipalFacts } from '../providers/claim-map-editor';
import { BenchContext } from './bench-state';
import { useStanding } from '../../client/standing';
import { apiQuery, operationsQuery } from '../apis/queries';
import { LetThroughOf } from '../let-through/let-through-of';
import { isAimed, TargetPicker } from './target-picker';

/** Every check of a token against a rule, by the gateway’s own code; the one that decides is marked. */
export function VerifyPanel({ token }: { readonly token: string }) {
  const { target, proof, key, set } = useContext(BenchContext);
  const verify = useMutation({
    mutationFn: (input: object) => api.post<ExamineView>('/bench/examinations', input),
  });
  const question = { ...target, token, ...(proof === '' ? {} : { dpopProof: proof }), ...(key === '' ? {} : { key }) };
  // An answer to another question than the one on the screen would mislead.
  const answer = JSON.stringify(verify.variables) === JSON.stringify(question) ? verify.data : undefined;
  return (
    <section className="stack">
      <h2>Verify</h2>
      <TargetPicker />
      {(proof !== '' || answer?.checks.some((check) => check.step === 'proof' && check.outcome === 'refuse')) && (
        <Field
          id="proof"
          label="DPoP proof that goes along"
          hint="Good once, like at the gateway; its htu must be the operation’s address with x for each parameter"
        >
          <input id="proof" className="mono" value={proof} onChange={(event) => set({ proof: event.target.value.trim() })} />
        </Field>
      )}
      {(key !== '' || answer?.checks.some((check) => check.step === 'key')) && (
        <Field id="key" label="API key that goes along" hint="It stands where the operation looks for one, and stays in this page">
          <input id="key" className="mono" autoComplete="off" spellCheck={false} value={key} onChange={(event) => set({ key: event.target.value.trim() })} />
        </Field>
      )}
      <div>
        <Button variant="contained" disabled={token === '' || !isAimed(target) || verify.isPending} onClick={() => verify.mutate(question)}>
          {verify.isPending ? 'Verifying…' : 'Verify'}
        </Button>
      </div>
      <ProblemNotice error={verify.error} />
      {answer && <Outcome view={answer} />}
      {answer && target.apiId !== undefined && target.operationId !== undefined && target.trustBench !== true && (
        <Otherwise token={token} view={answer} target={target} />
      )}
      {!answer && <p className="quiet">Choose what it is held against. Every check is run, also those behind the first that fails.</p>}
    </section>
  );
}

/** What would make the operation take the token, or what it is taken for. */
function Otherwise({ token, view, target }: { readonly token: string; readonly view: ExamineView; readonly target: BenchTarget }) {
  const { data: standing } = useStanding();
  const { data: of } = useQuery(apiQuery(target.apiId ?? ''));
  const { data: operations } = useQuery(operationsQuery(target.apiId ?? ''));
  const operation = operations?.items.find(({ id }) => id === target.operationId);
  if (!of || !operation || (target.against === 'live' && !standing?.live)) return null;
  return (
    <LetThroughOf
      key={`${token.slice(-20)} ${operation.id}`}
      which={target.against === 'draft' ? 'draft' : (standing?.live?.number ?? 'draft')}
      code={view.outcome === 'refused' ? view.code : null}
      note="The address and what else the request would carry are supposed to be right."
      call={{
        method: operation.method,
        target: of.basePath + operation.path.replace(/\{[^{}]+\}/g, 'x'),
        headers: {},
        address: null,
        body: null,
        sender: { credentials: [{ kind: 'pasted', as: 'token', text: token }] },
        atMs: Math.floor(Date.now() / 60_000) * 60_000,
      }}
    />
  );
}

function Outcome({ view }: { readonly view: ExamineView }) {
  const refused = view.outcome === 'refused';
  return (
    <div className="stack" aria-live="polite">
      <div className={refused ? 'notice wrong' : 'notice fine'}>
        <b>{refused ? `The gateway answers ${view.status ?? ''}.` : 'The gateway lets it pass.'}</b> {view.sentence}
        {refused && <div>{view.remedy}</div>}
        <div className="quiet small">{view.target}</div>
      </div>
      <Checks checks={view.checks} />
      {view.principal && (
        <div>
          <h2>Principal{refused ? ', if it were taken' : ''}</h2>
          <PrincipalFacts principal={view.principal} />
        </div>
      )}
    </div>
  );
}

function Checks({ checks }: { readonly checks: readonly CheckView[] }) {
  const { show } = useContext(WhyContext);
  return (
    <ol className="checks" aria-label="Checks">
      {checks.map((check, index) => (
        <li key={`${check.id} ${index}`} className={check.decides ? 'decides' : ''}>
          <Mark kind={check.code === 'bench.check-unknown' ? 'unknown' : markOf(check.outcome)} size={15} />
          <button onClick={() => show({ step: stepOf(check) })} aria-label={`${check.name}: ${check.sentence} Why`}>
            <b>{check.name}</b> <span className={check.outcome === 'refuse' ? 'rust' : 'quiet'}>{check.sentence}</span>
            {check.decides && <span className="small rust"> The gateway stops here.</span>}
          </button>
        </li>
      ))}
    </ol>
  );
}

/** A check as the “why” beside every screen takes it. */
const stepOf = (check: CheckView): StepView => ({
  step: check.step,
  name: check.name,
  outcome: check.outcome,
  mode: 'enforce',
  rule: null,
  code: check.code,
  sentence: check.sentence,
  comparisons: check.comparisons,
  standard: check.standard,
  remedy: check.remedy,
  toldStatus: null,
  toldTitle: null,
  tookUs: 0,
});
