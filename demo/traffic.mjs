import { nextCall, ownProof } from './calls.mjs';
import { seededRandom } from './random.mjs';

const PAUSE_MS = 700;
const tokens = new Map();

/** Keeps gentle traffic running: real requests with real tokens through the real gateway, until the process ends. */
export function keepTrafficRunning(facts) {
  const random = seededRandom(Date.now());
  const again = () => {
    setTimeout(
      () =>
        void oneCall(facts, nextCall(random))
          .catch(() => undefined)
          .then(again),
      PAUSE_MS * (0.4 + random.next()),
    );
  };
  again();
}

async function oneCall(facts, call) {
  const headers = { accept: 'application/json', 'x-forwarded-for': call.address, ...(call.body ? { 'content-type': 'application/json' } : {}) };
  Object.assign(headers, ownProof(call, facts.made));
  const token = call.proof === 'none' || !call.caller || call.caller.proves ? null : await tokenOf(facts, call.caller);
  if (token) headers.authorization = `Bearer ${spoil(token, call.proof)}`;
  const answer = await fetch(facts.gatewayUrl + call.path, { method: call.method, headers, ...(call.body ? { body: JSON.stringify(call.body) } : {}) });
  await answer.arrayBuffer();
}

/** Programs sign in as themselves; people are played by the workshop client, which may ask for any scope. */
async function tokenOf(facts, caller) {
  const signIn = facts.standins.find((item) => item.name === (caller.house ?? 'Trust Sign-in'));
  const own = signIn.clients.find((client) => client.id === caller.client && client.grants.includes('client_credentials'));
  const client = own ?? signIn.clients.find((item) => item.id === 'workshop');
  const scope = caller.scope.replace('openid ', '');
  const name = `${client.id} ${scope} ${caller.audience}`;
  const held = tokens.get(name);
  if (held && held.until > Date.now()) return held.token;
  const answer = await fetch(signIn.tokenEndpoint, {
    method: 'POST',
    headers: { authorization: `Basic ${Buffer.from(`${client.id}:${client.secret}`).toString('base64')}`, 'content-type': 'application/x-www-form-urlencoded' },
    body: new URLSearchParams({ grant_type: 'client_credentials', scope, resource: caller.audience }),
  });
  if (!answer.ok) return null;
  const body = await answer.json();
  tokens.set(name, { token: body.access_token, until: Date.now() + (body.expires_in - 30) * 1000 });
  return body.access_token;
}

function spoil(token, proof) {
  if (proof === 'tampered') return token.replace(/\.(.{10})(.)/, (_, head, one) => `.${head}${one === 'A' ? 'B' : 'A'}`);
  if (proof === 'cut') return token.slice(0, token.lastIndexOf('.'));
  return token;
}
