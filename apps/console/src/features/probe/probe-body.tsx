import Button from '@mui/material/Button';
import { METHOD_NAMES } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { useContext } from 'react';
import { Link } from 'react-router';
import { ProblemNotice } from '@virga/parts';
import { useStanding } from '../../client/standing';
import { FallLine } from '../../parts/fall-line';
import { Mark } from '../../parts/mark';
import { WhyContext } from '../../parts/why';
import { personasQuery } from '../personas/queries';
import { useSignIn } from '../personas/use-sign-in';
import { curlLine, goesAsJson } from './curl';
import { Otherwise, Save } from './probe-after';
import { ProbeContext, type ProbeForm } from './probe-state';

/** The open drawer: the request on the left, its fall line in the middle, the answer on the right. */
export function ProbeBody({ sending, error, onSend }: { readonly sending: boolean; readonly error: unknown; readonly onSend: () => void }) {
  return (
    <div className="probe-body">
      <Composer sending={sending} error={error} onSend={onSend} />
      <Verdict sending={sending} />
      <Answer />
    </div>
  );
}

function Composer({ sending, error, onSend }: { readonly sending: boolean; readonly error: unknown; readonly onSend: () => void }) {
  const { form, set } = useContext(ProbeContext);
  const { data: standing } = useStanding();
  const { enqueueSnackbar } = useSnackbar();
  const copy = () => {
    try {
      void navigator.clipboard.writeText(curlLine(form, standing?.gatewayUrl ?? '')).then(() => enqueueSnackbar('Copied; put the token into $TOKEN'));
    } catch (problem) {
      enqueueSnackbar((problem as Error).message);
    }
  };
  const hasBody = !['GET', 'HEAD', 'OPTIONS', 'TRACE'].includes(form.method) || form.body !== '';
  return (
    <form
      className="stack"
      style={{ gap: 9 }}
      onSubmit={(event) => {
        event.preventDefault();
        onSend();
      }}
    >
      <div className="row">
        <select aria-label="Method" className="plain mono" style={{ width: 96 }} value={form.method} onChange={(event) => set({ method: event.target.value })}>
          {METHOD_NAMES.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
        <input
          aria-label="Path and query"
          className="plain mono grow"
          value={form.target}
          spellCheck={false}
          onChange={(event) => set({ target: event.target.value })}
        />
      </div>
      <Sender form={form} set={set} />
      {form.against === 'draft' && (
        <div className="row">
          <label htmlFor="probe-from" className="quiet">
            from
          </label>
          <input
            id="probe-from"
            className="plain mono grow"
            placeholder="127.0.0.1, where the control plane is"
            value={form.from}
            spellCheck={false}
            onChange={(event) => set({ from: event.target.value.trim() })}
          />
        </div>
      )}
      <div className="field">
        <label htmlFor="probe-headers">Headers, one a line</label>
        <textarea
          id="probe-headers"
          className="mono small"
          rows={2}
          spellCheck={false}
          placeholder="accept: application/json"
          value={form.headers}
          onChange={(event) => set({ headers: event.target.value })}
        />
      </div>
      {hasBody && (
        <div className="field">
          <label htmlFor="probe-body">Body</label>
          <textarea
            id="probe-body"
            className="mono small"
            rows={3}
            spellCheck={false}
            placeholder='{ "opening": 35, "reason": "evening turn" }'
            value={form.body}
            onChange={(event) => set({ body: event.target.value })}
          />
          {goesAsJson(form) && <span className="quiet small">goes as application/json, unless a header says otherwise</span>}
        </div>
      )}
      <div className="row wrap">
        <label className="check">
          <input type="radio" name="against" checked={form.against === 'draft'} onChange={() => set({ against: 'draft' })} /> draft
        </label>
        <label className="check">
          <input type="radio" name="against" checked={form.against === 'live'} onChange={() => set({ against: 'live' })} /> live gateway
        </label>
        {form.against === 'draft' ? (
          <label className="check">
            <input type="checkbox" checked={form.forward} onChange={(event) => set({ forward: event.target.checked })} /> forward it when it passes
          </label>
        ) : (
          <span className="quiet small">a real request; the upstream acts on it</span>
        )}
      </div>
      <div className="row">
        <Button type="submit" variant="contained" disabled={sending}>
          {sending ? 'Sending…' : 'Send'}
        </Button>
        <button type="button" className="link" onClick={copy}>
          copy as a curl line
        </button>
      </div>
      <ProblemNotice error={error} />
    </form>
  );
}

function Sender({ form, set }: { readonly form: ProbeForm; readonly set: (change: Partial<ProbeForm>) => void }) {
  const { data: personas } = useQuery(personasQuery);
  const signIn = useSignIn();
  const persona = personas?.items.find((item) => item.id === form.personaId);
  const value = form.sender === 'persona' ? form.personaId : form.sender;
  const choose = (next: string) => set(next === 'nobody' || next === 'token' ? { sender: next } : { sender: 'persona', personaId: next });
  return (
    <>
      <div className="row wrap">
        <span className="quiet">as</span>
        <select
          aria-label="Who sends it"
          className="plain"
          style={{ width: 'auto', maxWidth: 240 }}
          value={value}
          onChange={(event) => choose(event.target.value)}
        >
          <option value="nobody">nobody</option>
          <option value="token">whoever holds a pasted token</option>
          {personas?.items.map((item) => (
            <option key={item.id} value={item.id}>
              {item.name}
            </option>
          ))}
        </select>
        {persona && (
          <>
            <span className="quiet">with</span>
            <select
              aria-label="What is sent"
              className="plain"
              style={{ width: 'auto' }}
              value={form.proof}
              onChange={(event) => set({ proof: event.target.value as ProbeForm['proof'] })}
            >
              <option value="access-token">its access token</option>
              <option value="tampered">the token with an edited payload</option>
              <option value="id-token">its ID token instead</option>
            </select>
          </>
        )}
      </div>
      {persona?.grant === 'authorization_code' && persona.token.state !== 'ready' && (
        <div className="notice small">
          A person signs in at {persona.providerName}.{' '}
          <button type="button" className="link" onClick={() => void signIn.start(persona.id)}>
            {signIn.waiting ? 'Waiting for the sign-in; open it again' : 'Open its sign-in page'}
          </button>
        </div>
      )}
      <ProblemNotice error={signIn.error} />
      {form.sender === 'token' && (
        <div className="field">
          <label htmlFor="probe-token">Token, sent behind “Bearer ”; it is kept nowhere</label>
          <textarea
            id="probe-token"
            className="mono small"
            rows={2}
            spellCheck={false}
            autoComplete="off"
            value={form.token}
            onChange={(event) => set({ token: event.target.value })}
          />
        </div>
      )}
    </>
  );
}

function Verdict({ sending }: { readonly sending: boolean }) {
  const { result, form } = useContext(ProbeContext);
  const why = useContext(WhyContext);
  if (!result)
    return (
      <p className="quiet">
        {sending
          ? 'Falling…'
          : form.against === 'draft'
            ? 'The draft decides with the gateway’s own code; nothing is sent on unless you ask for it.'
            : 'The request goes to the live gateway over HTTP.'}
      </p>
    );
  return (
    <div>
      <div style={{ marginBottom: 10 }}>
        <Mark kind={result.outcome} /> <b>{result.outcome === 'passed' ? (result.answer ? 'Passed' : 'Would pass') : 'Refused'}</b>{' '}
        <span className="quiet">by the {result.against === 'draft' ? 'draft' : 'live release'}</span>
        {result.traceId && (
          <>
            {' '}
            <Link to={`/traces/${result.traceId}`}>its trace</Link>
          </>
        )}
      </div>
      {result.steps.length === 0 ? (
        <p className="quiet">The trace has not arrived.</p>
      ) : (
        <FallLine steps={result.steps} onChoose={(step) => why.show({ step })} />
      )}
      <Otherwise />
      <Save />
    </div>
  );
}

function Answer() {
  const { result } = useContext(ProbeContext);
  if (!result) return <div />;
  if (!result.answer) return <p className="quiet">Not forwarded, so there is no answer.</p>;
  const { status, headers, body, bodyBytes, truncated } = result.answer;
  return (
    <div className="stack" style={{ gap: 8 }}>
      <div>
        <b>{status}</b>{' '}
        <span className="quiet">
          {bodyBytes} bytes{truncated ? ', cut' : ''}
        </span>
      </div>
      <pre className="sheet">{headers.map((header) => `${header.name}: ${header.value}`).join('\n')}</pre>
      {body !== null && body !== '' && <pre className="sheet">{pretty(body)}</pre>}
      {body === null && <p className="quiet">The body is not text.</p>}
    </div>
  );
}

function pretty(body: string): string {
  try {
    return JSON.stringify(JSON.parse(body), null, 2);
  } catch {
    return body;
  }
}
