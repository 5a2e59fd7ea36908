// What learning from traffic and looking for sensitive data cost the requests that they look into.
import { load, median } from './load.mjs';
import { release } from './world.mjs';

const KINDS = ['email', 'phone', 'card', 'iban', 'ip-address', 'jwt', 'api-key', 'private-key', 'password'];

/** The route that takes and answers 1 KB, with nothing looked for or with everything that is only told of. */
function watched(document, on) {
  const [api] = document.apis;
  const [first] = api.operations;
  const uses = on ? KINDS.map((detector) => ({ detector, request: 'tell', answer: 'tell' })) : [];
  return {
    ...document,
    apis: [
      {
        ...api,
        learning: { on, answers: 'successful' },
        sensitive: { ...api.sensitive, uses },
        operations: [{ ...first, id: 'POST /readings', method: 'POST', path: '/readings' }],
      },
    ],
  };
}

/**
 * The same route by turns with and without being looked into, as many requests as go through.
 * @param body 1 KB of JSON
 */
export async function learningRoute({ control, gateway, upstreamUrl, issuer, headers, rounds, ms, longest, body }) {
  const request = {
    method: 'POST',
    path: '/bench/readings',
    body,
    headers: { ...headers, 'content-type': 'application/json', 'content-length': String(body.length) },
  };
  const document = release(upstreamUrl, issuer, 1);
  const ratios = [];
  let number = 100;
  let failed = 0;
  let stallMs = 0;
  control.seen.taken = 0;
  control.seen.dropped = 0;
  for (let round = 0; round <= rounds; round++) {
    const perSecond = {};
    for (const on of round % 2 === 0 ? [false, true] : [true, false]) {
      await control.publish(++number, watched(document, on));
      await load(gateway.port, { ...request, ms: ms / 3 });
      const run = async () => {
        const result = await load(gateway.port, { ...request, ms });
        perSecond[on] = result.perSecond;
        failed += result.failed;
      };
      const { kept } = await longest(run);
      if (on && round > 0) stallMs = Math.max(stallMs, kept);
    }
    // The first round warms both up.
    if (round === 0) continue;
    ratios.push(perSecond.true / perSecond.false);
    process.stdout.write(`round ${round} looked into: ${Math.round(perSecond.true)} requests/s of ${Math.round(perSecond.false)}\n`);
  }
  await new Promise((resolve) => setTimeout(resolve, 3000));
  const { taken, dropped } = control.seen;
  return {
    learningRouteRatio: median(ratios),
    learningDropShare: dropped / Math.max(1, taken + dropped),
    learningStallMs: Math.round(stallMs * 10) / 10,
    learningTaken: taken,
    learningFailed: failed,
  };
}
