import { useContext } from 'react';
import { MAX_TRIAL_BODY } from '@virga/core';
import { useStanding } from '../../client/standing';
import { LetThroughOf } from '../let-through/let-through-of';
import type { Sender } from '../let-through/queries';
import { SaveTrial } from '../trials/save-trial';
import { sentHeaders } from './curl';
import { ProbeContext, type ProbeForm } from './probe-state';

/** What would let the request through that was sent last, or what holds it. */
export function Otherwise() {
  const { result } = useContext(ProbeContext);
  const { data: standing } = useStanding();
  if (!result || (result.against === 'live' && !standing?.live)) return null;
  const refusing = result.steps.find(({ outcome }) => outcome === 'refuse') ?? null;
  // What is composed next is another question.
  const { sent } = result;
  const genuine = sent.sender !== 'persona' || sent.proof === 'access-token';
  return (
    <LetThroughOf
      key={`${result.tookMs} ${result.traceId ?? ''} ${sent.target}`}
      which={result.against === 'draft' ? 'draft' : (standing?.live?.number ?? 'draft')}
      code={refusing?.code ?? null}
      note={genuine ? '' : 'What was sent is no token of its persona that could be taken: it is decided as sent by nobody.'}
      call={{
        method: sent.method,
        target: sent.target,
        headers: Object.fromEntries(sentHeaders(sent).map(({ name, value }) => [name.toLowerCase(), value])),
        address: sent.from === '' ? '127.0.0.1' : sent.from,
        body: sent.body === '' ? null : { content: sent.body },
        sender: senderOf(sent, genuine),
        atMs: result.at,
      }}
    />
  );
}

/** The request that was sent last as a trial, where it is of a persona or of nobody: nothing of a pasted token is kept. */
export function Save() {
  const { result } = useContext(ProbeContext);
  if (!result || result.sent.sender === 'token' || (result.sent.sender === 'persona' && result.sent.proof !== 'access-token')) return null;
  const { sent } = result;
  const call = {
    method: sent.method,
    target: sent.target,
    headers: sentHeaders(sent),
    ...(sent.from === '' ? {} : { from: sent.from }),
    ...bodyOf(sent.body),
    ...(sent.sender === 'persona' ? { personaId: sent.personaId } : {}),
  };
  return (
    <p>
      <SaveTrial of={{ call }} name={`${sent.method} ${sent.target}`} expected={result.outcome === 'refused' ? 'refused' : 'passed'} />
    </p>
  );
}

/** What of a body is kept: all of it, or its bytes where it is long. */
function bodyOf(body: string): { readonly body?: string; readonly bodyBytes?: number } {
  if (body === '') return {};
  return body.length <= MAX_TRIAL_BODY ? { body } : { bodyBytes: new TextEncoder().encode(body).length };
}

function senderOf({ sender, personaId, token }: ProbeForm, genuine: boolean): Sender {
  if (sender === 'persona' && genuine) return { persona: personaId };
  return { credentials: sender === 'token' && token !== '' ? [{ kind: 'pasted', as: 'token', text: token }] : [] };
}
