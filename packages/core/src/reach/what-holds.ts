import type { StepId } from '../verdict/code-entry.js';
import type { Code } from '../verdict/codes.js';
import type { SupposedCredential } from '../suppose/supposed-caller.js';
import type { SupposedCall, Supposition } from '../suppose/supposition.js';

/** One thing without which a call that passes would be refused. */
export interface Held {
  /** What would be gone, in words. */
  readonly without: string;
  /** The check that refuses then, and its code. */
  readonly step: StepId;
  readonly code: Code;
}

/**
 * What a call that passes hangs on alone: each of its credentials, scopes, roles and attributes, and its address are taken
 * away one at a time, and the call is decided again. Empty where nothing of all that is needed.
 */
export async function whatHolds(supposition: Supposition, call: SupposedCall): Promise<Held[]> {
  const held: Held[] = [];
  for (const { without, call: less } of lesser(call, supposition)) {
    const { verdict, exchange } = await supposition.decide(less);
    const { code } = verdict.finding;
    if (verdict.kind === 'answer') held.push({ without, code, step: exchange.steps[exchange.steps.length - 1]?.step ?? 'route' });
  }
  return held;
}

interface Lesser {
  readonly without: string;
  readonly call: SupposedCall;
}

function lesser(call: SupposedCall, supposition: Supposition): Lesser[] {
  const made: Lesser[] = [];
  call.credentials.forEach((credential, index) => {
    made.push({ without: NAMES[credential.kind], call: { ...call, credentials: call.credentials.filter((_one, at) => at !== index) } });
    if (credential.kind !== 'token') return;
    const principal = supposition.principalOf(credential);
    if (!principal) return;
    const put = (without: string, members: typeof credential.principal): void => {
      const edited: SupposedCredential = { ...credential, principal: { ...credential.principal, ...members } };
      made.push({ without, call: { ...call, credentials: call.credentials.map((one, at) => (at === index ? edited : one)) } });
    };
    for (const scope of principal.scopes) put(`the scope ${scope}`, { scopes: principal.scopes.filter((one) => one !== scope) });
    for (const role of principal.roles) put(`the role ${role}`, { roles: principal.roles.filter((one) => one !== role) });
    for (const name of Object.keys(principal.attributes)) put(`${name} of the token`, { attributes: { ...principal.attributes, [name]: [] } });
    if (principal.acr !== null) put('the strength of the sign-in', { acr: null });
  });
  const { address } = call.request;
  if (address !== null)
    made.push({
      without: 'its address',
      call: { ...call, request: { ...call.request, address: address === '203.0.113.254' ? '198.51.100.254' : '203.0.113.254' } },
    });
  return made;
}

const NAMES = { token: 'the token', key: 'the key', basic: 'name and secret', certificate: 'the client certificate', pasted: 'the credential' } as const;
