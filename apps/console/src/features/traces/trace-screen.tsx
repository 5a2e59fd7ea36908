import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Copyable, exactTime, Method, ProblemNotice, took } from '@virga/parts';
import type { HeaderView, PersonaView, StepView, TraceView } from '@virga/protocol';
import { useContext, useState } from 'react';
import { Link, useParams } from 'react-router';
import { withQuery } from '../../client/api';
import { FallLine } from '../../parts/fall-line';
import { Mark } from '../../parts/mark';
import { Why } from '../../parts/why';
import { authorizerPath, operationPath } from '../../client/places';
import { personasQuery } from '../personas/queries';
import { ProbeContext, type ProbeForm } from '../probe/probe-state';
import { LetThroughOf } from '../let-through/let-through-of';
import { tracedCredentials } from '../let-through/queries';
import { SaveTrial } from '../trials/save-trial';
import { providersQuery } from '../providers/queries';
import { RuleLink } from './rule-link';
import { traceQuery } from './queries';

/** One request: its fall line, and why it ended where it did. */
export function TraceScreen() {
  const { id = '' } = useParams();
  const { data: trace, error } = useQuery(traceQuery(id));
  const [chosen, setChosen] = useState<StepView | null>(null);
  if (error) return <NoTrace error={error} />;
  if (!trace) return <p className="quiet">Reading…</p>;
  const deciding =
    trace.steps.find((step) => step.outcome === 'refuse') ??
    trace.steps.find((step) => step.outcome === 'would-refuse') ??
    trace.steps[trace.steps.length - 1] ??
    null;
  const explained = chosen ?? deciding;
  return (
    <>
      <div className="row" style={{ alignItems: 'baseline', fontSize: 20 }}>
        <Method name={trace.method} />
        <h1 className="mono" style={{ fontSize: 20, overflowWrap: 'anywhere' }}>
          {trace.path}
          <span className="quiet">{trace.query}</span>
        </h1>
      </div>
      <p style={{ margin: '4px 0 16px' }}>
        <Mark kind={trace.outcome} /> <b>{trace.status}</b>, {endWords(trace)} after {took(trace.totalUs)}{' '}
        <span className="quiet">
          &ensp;{exactTime(trace.at)}
          {trace.apiId && trace.operationId && (
            <>
              , <Link to={operationPath(trace.apiId, trace.operationId)}>its operation</Link>
            </>
          )}
          {trace.subject && `, ${trace.subject}`}
          {trace.client && trace.client !== trace.subject && ` through ${trace.client}`}, from {trace.address}, release {trace.release}, trace{' '}
          <Copyable text={trace.id} />
        </span>
      </p>
      <div className="columns">
        <FallLine steps={trace.steps} chosen={explained} onChoose={setChosen} />
        <aside className="why stack" style={{ gap: 22 }}>
          {explained && <Why step={explained} link={<RuleLink step={explained} />} />}
          <Otherwise trace={trace} />
          <Again trace={trace} />
          <CaseOf trace={trace} />
          <div>
            <SaveTrial
              of={{ traceId: trace.id }}
              name={`${trace.method} ${trace.path} by ${trace.subject ?? trace.client ?? 'nobody'}`}
              expected={trace.outcome === 'refused' ? 'refused' : 'passed'}
            />
          </div>
          <Headers title="Sent" headers={trace.requestHeaders} />
          <Headers title="Answered" headers={trace.responseHeaders} />
          <div className="quiet small">
            {trace.requestBytes} bytes in, {trace.responseBytes} bytes out, node {trace.node}
            {trace.traceId && (
              <>
                , W3C trace <Copyable text={trace.traceId} />
              </>
            )}
            . Bodies are not kept.
          </div>
        </aside>
      </div>
    </>
  );
}

/** How a request ended, in words. */
function endWords({ outcome, step, stepName }: TraceView): string {
  if (outcome === 'refused') return `stopped at ${stepName}`;
  if (outcome === 'would-refuse') return `would have stopped at ${stepName}, which only observes; forwarded`;
  return step === 'upstream' ? 'forwarded' : 'answered by the gateway';
}

/** What would have let it through, or held it, by the release that decided it and with what is known now. */
function Otherwise({ trace }: { readonly trace: TraceView }) {
  const { data: providers } = useQuery(providersQuery);
  if (!trace.operationId) return null;
  const provider = providers?.items.find(({ name }) => name === trace.provider);
  return (
    <LetThroughOf
      key={trace.id}
      which={trace.release === 0 ? 'draft' : trace.release}
      code={trace.outcome === 'refused' ? trace.code : null}
      note={trace.who === null ? 'Nobody was proved to call, so that it is decided as a call of nobody.' : ''}
      call={{
        method: trace.method,
        target: trace.path + trace.query,
        headers: Object.fromEntries(
          trace.requestHeaders.filter(({ value }) => !value.includes('<removed')).map(({ name, value }) => [name.toLowerCase(), value]),
        ),
        address: trace.address === 'unknown' ? null : trace.address,
        body: trace.requestBytes === 0 ? null : trace.requestBytes,
        sender: { credentials: tracedCredentials(trace.who, provider?.id ?? null, provider?.issuer ?? '') },
        atMs: trace.at,
      }}
    />
  );
}

function Again({ trace }: { readonly trace: TraceView }) {
  const probe = useContext(ProbeContext);
  const { data: personas } = useQuery(personasQuery);
  const sender = senderOf(trace, personas?.items ?? []);
  return (
    <div>
      <Button
        variant="contained"
        onClick={() =>
          probe.compose({ method: trace.method, target: trace.path + trace.query, from: trace.address === 'unknown' ? '' : trace.address, ...sender })
        }
      >
        Send again from the probe
      </Button>
    </div>
  );
}

/** A case of each authorizer that was asked, made of this request. */
function CaseOf({ trace }: { readonly trace: TraceView }) {
  const asked = trace.steps.flatMap(({ rule, outcome }) =>
    rule && rule.calls !== '' ? [{ name: rule.calls, expected: outcome === 'pass' ? 'allow' : 'deny' }] : [],
  );
  if (asked.length === 0) return null;
  return (
    <div className="stack" style={{ gap: 4 }}>
      {asked.map(({ name, expected }) => (
        <Link key={name} to={withQuery(authorizerPath(name), { trace: trace.id, expected })}>
          Make a case of {name} out of it
        </Link>
      ))}
    </div>
  );
}

/** Who sends it again: the persona of the client that sent it, or a token to be pasted where there is none, or nobody. */
function senderOf({ client, provider }: TraceView, personas: readonly PersonaView[]): Pick<ProbeForm, 'sender' | 'personaId'> {
  if (client === null) return { sender: 'nobody', personaId: '' };
  const of = personas.filter((persona) => persona.clientId === client);
  const persona = of.find((item) => item.providerName === provider) ?? of[0];
  return persona ? { sender: 'persona', personaId: persona.id } : { sender: 'token', personaId: '' };
}

function Headers({ title, headers }: { readonly title: string; readonly headers: readonly HeaderView[] }) {
  if (headers.length === 0) return null;
  return (
    <section>
      <h2>{title}</h2>
      <pre className="sheet">{headers.map((header) => `${header.name}: ${header.value}`).join('\n')}</pre>
    </section>
  );
}

function NoTrace({ error }: { readonly error: unknown }) {
  return (
    <div className="empty">
      <ProblemNotice error={error} />
      <p>
        It may have been let go by age, by number or by sampling under load. <Link to="/traces">All traces</Link>
      </p>
    </div>
  );
}
