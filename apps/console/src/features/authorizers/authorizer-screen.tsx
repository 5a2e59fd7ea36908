import { AUTHORIZER_BOUNDS, checkScript, OPEN_SCOPE } from '@virga/core';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Confirm, Field, ProblemNotice } from '@virga/parts';
import type { AuthorizerInput, AuthorizerView, ServiceDto } from '@virga/protocol';
import { useEffect, useRef, useState, type SyntheticEvent } from 'react';
import { Link, useNavigate, useParams, useSearchParams } from 'react-router';
import { ApiProblem } from '../../client/api';
import { LeaveGuard } from '../../parts/leave-guard';
import { TextList } from '../../parts/text-list';
import { authorizerPath } from '../../client/places';
import { conditionsQuery } from '../apis/condition-queries';
import { CacheFields } from './cache-fields';
import { CaseList } from './case-list';
import { Cost } from './cost';
import { errorAt } from './errors';
import { newAuthorizer, newCaseInput, newScript, newService } from './examples';
import { authorizerQuery, caseOfTrace, useDropAnswers, useRemoveAuthorizer, useSetAuthorizer, useTried } from './queries';
import { ScriptFields } from './script-fields';
import { ServiceFields } from './service-fields';
import { UsesSection } from './uses-section';

/** One authorizer: its code or service, its cases with what they come to, who calls it, what it cost. */
export function AuthorizerScreen() {
  const { name = '' } = useParams();
  const isNew = name === '';
  const { data, error } = useQuery({ ...authorizerQuery(name), enabled: !isNew });
  if (isNew) return <Editor key="new" view={null} />;
  if (error) return <ProblemNotice error={error} />;
  return data ? <Editor key={data.name} view={data} /> : <p className="quiet">Reading…</p>;
}

function inputOf({ name, description, script, service, passes, cache, cases }: AuthorizerView): AuthorizerInput {
  const credential = service?.credential
    ? { kind: service.credential.kind, ...(service.credential.name === null ? {} : { name: service.credential.name }) }
    : null;
  return { name, description, script, service: service && { ...service, credential }, passes, cache, cases };
}

const same = (one: unknown, other: unknown): boolean => JSON.stringify(one) === JSON.stringify(other);

function Editor({ view }: { readonly view: AuthorizerView | null }) {
  const navigate = useNavigate();
  const [query, setQuery] = useSearchParams();
  const [began, setBegan] = useState(() => ({ input: view ? inputOf(view) : newAuthorizer(), revision: view?.revision ?? null }));
  const [input, setInput] = useState<AuthorizerInput>(began.input);
  const [asking, setAsking] = useState(false);
  const [missing, setMissing] = useState('');
  const { data: conditions } = useQuery(conditionsQuery);
  const changed = !same(input, began.input);
  const set = useSetAuthorizer((saved) => {
    setBegan({ input: inputOf(saved), revision: saved.revision });
    setInput(inputOf(saved));
    if (view?.name !== saved.name) void navigate(authorizerPath(saved.name), { replace: true });
  });
  const remove = useRemoveAuthorizer(view?.name ?? '', () => void navigate('/authorizers'));
  const drop = useDropAnswers(view?.name ?? '');
  const { script, service, cases } = input;
  const put = (change: Partial<AuthorizerInput>) => setInput((before) => ({ ...before, ...change }));
  const addCase = (name: string, text: string, expected: 'allow' | 'deny') =>
    setInput((before) => ({ ...before, cases: [...before.cases, { name, input: text, expected }] }));
  useTraceOf(query.get('trace'), script?.tables ?? [], (name, text, said) => {
    setMissing(said);
    addCase(name, text, query.get('expected') === 'deny' ? 'deny' : 'allow');
    setQuery({}, { replace: true });
  });
  const usable = script
    ? checkScript(script.source, { ...OPEN_SCOPE, body: script.body ?? false }).length === 0
    : service !== null && service.url !== '' && !service.credential?.secret;
  const tried = useTried(
    usable ? { ...input, name: input.name || 'new' } : null,
    cases.map((one) => one.input),
  );
  const save = (revision: string | null) => set.mutate({ name: view?.name ?? input.name, input, revision });
  const stale = set.error instanceof ApiProblem && set.error.status === 412;
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    save(began.revision);
  };
  return (
    <>
      <div className="page-head">
        <h1 style={{ overflowWrap: 'anywhere' }}>{view?.name ?? 'A new authorizer'}</h1>
        <span className="quiet">
          <Link to="/authorizers">all authorizers</Link>
        </span>
      </div>
      <form
        onSubmit={submit}
        noValidate
        style={{ display: 'grid', gridTemplateColumns: 'minmax(0, 3fr) minmax(0, 2fr)', gap: 32, alignItems: 'start' }}
        className="columns"
      >
        <div className="stack" style={{ gap: 14 }}>
          <div className="row" style={{ alignItems: 'flex-start' }}>
            <Field id="authorizer-name" label="Name" hint="what refusals and traces call it" error={errorAt(set.error, '/name')}>
              <input id="authorizer-name" maxLength={60} style={{ width: 190 }} value={input.name} onChange={(event) => put({ name: event.target.value })} />
            </Field>
            <div className="grow">
              <Field id="authorizer-about" label="What it is for" error={errorAt(set.error, '/description')}>
                <input id="authorizer-about" maxLength={500} value={input.description} onChange={(event) => put({ description: event.target.value })} />
              </Field>
            </div>
          </div>
          <div className="row" role="radiogroup" aria-label="Who decides">
            <label className="check">
              <input type="radio" name="kind" checked={script !== null} onChange={() => put({ script: began.input.script ?? newScript(), service: null })} /> a
              script, in a sandbox
            </label>
            <label className="check">
              <input type="radio" name="kind" checked={service !== null} onChange={() => put({ service: began.input.service ?? newService(), script: null })} />{' '}
              a decision service
            </label>
          </div>
          {script && (
            <ScriptFields
              script={script}
              onChange={(next) => put({ script: next })}
              tables={conditions?.tables ?? {}}
              uses={view?.uses ?? []}
              error={set.error}
            />
          )}
          {service && (
            <ServiceFields service={service} kept={view?.service ?? null} onChange={(next: ServiceDto) => put({ service: next })} error={set.error} />
          )}
          {script && (
            <Field
              id="authorizer-passes"
              label="Header fields that it may pass up"
              hint="a caller’s own of these names never travel on"
              error={errorAt(set.error, '/passes')}
            >
              <TextList id="authorizer-passes" value={input.passes} onChange={(passes) => put({ passes: passes.map((field) => field.toLowerCase()) })} />
            </Field>
          )}
          <CacheFields
            cache={input.cache}
            tables={(script?.tables.length ?? 0) > 0}
            onChange={(cache) => put({ cache })}
            onDrop={view?.cache ? () => drop.mutate() : null}
            error={set.error}
          />
          <ProblemNotice error={set.error ?? remove.error ?? drop.error} />
          <div className="row">
            <Button type="submit" variant="contained" disabled={!changed || set.isPending}>
              {set.isPending ? 'Saving' : 'Save to the draft'}
            </Button>
            {stale && (
              <button type="button" className="link rust" onClick={() => save(null)}>
                set mine over it
              </button>
            )}
            {changed && (
              <button type="button" className="link" onClick={() => setInput(began.input)}>
                take back
              </button>
            )}
            {view && (
              <button type="button" className="link rust" style={{ marginLeft: 'auto' }} onClick={() => setAsking(true)}>
                take the authorizer away
              </button>
            )}
          </div>
        </div>
        <div className="stack" style={{ gap: 22 }}>
          <CaseList
            cases={cases}
            tried={usable ? (tried.data?.items ?? null) : null}
            waiting={usable && cases.length > 0 && tried.waiting}
            onChange={(next) => put({ cases: next })}
            onAdd={() => cases.length < AUTHORIZER_BOUNDS.cases && addCase('', newCaseInput(script?.tables ?? []), 'allow')}
          />
          {missing !== '' && <p className="ochre small">{missing}</p>}
          <ProblemNotice error={cases.length > 0 && usable ? tried.error : null} />
          {view && <UsesSection name={view.name} uses={view.uses} />}
          {view && <Cost cost={view.cost} />}
        </div>
      </form>
      <LeaveGuard when={changed && !set.isPending && !set.isSuccess} />
      {asking && view && (
        <Confirm
          title={`Take ${view.name} away?`}
          action="Take it away"
          onYes={() => remove.mutate(undefined, { onSettled: () => setAsking(false) })}
          onNo={() => setAsking(false)}
        >
          {view.uses.length === 0 ? 'No rule of the draft calls it.' : 'Rules of the draft call it; it can be taken away when none does.'}
        </Confirm>
      )}
    </>
  );
}

/** Makes a case of a recorded request, once. */
function useTraceOf(traceId: string | null, tables: readonly string[], onCase: (name: string, input: string, missing: string) => void): void {
  const taken = useRef<string | null>(null);
  useEffect(() => {
    if (traceId === null || taken.current === traceId) return;
    taken.current = traceId;
    void caseOfTrace(traceId, tables).then(
      ({ input, missing }) => onCase(`request ${traceId.slice(0, 12)}`, input, missing),
      () => onCase('request that is not kept any more', newCaseInput(tables), 'The trace is not kept any more.'),
    );
  });
}
