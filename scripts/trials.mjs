// Runs the trials of a release and says what got through: exits 1 when anything did, 2 when they could not be run.
// Of the draft of a control plane:  npm run trials -- --control http://127.0.0.1:4180 --token TOKEN
// Of a document alone:              npm run trials -- --document release.json [--before live.json]
// Over HTTP, against a gateway that serves the release: --gateway http://127.0.0.1:4181 sends what needs no genuine credential.
// Reports: --json FILE, --junit FILE. The token may stand in VIRGA_CONTROL_TOKEN.
import { readFileSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { parseArgs } from 'node:util';

const SHOWN = 50;
const { values } = parseArgs({
  options: {
    control: { type: 'string' },
    token: { type: 'string', default: process.env.VIRGA_CONTROL_TOKEN },
    document: { type: 'string' },
    before: { type: 'string' },
    gateway: { type: 'string' },
    json: { type: 'string' },
    junit: { type: 'string' },
  },
});

class Unusable extends Error {}

/** Trials of a draft, run by its control plane: with its clients, its tables, and all that was saved. */
async function ofControlPlane(control, token) {
  if (!token) throw new Unusable('give the control token with --token or in VIRGA_CONTROL_TOKEN');
  const ask = async (path) => {
    const answer = await fetch(new URL(`/control/v1/trials/${path}`, control), { method: 'POST', headers: { authorization: `Bearer ${token}` } }).catch(
      (error) => {
        throw new Unusable(`${control} cannot be reached: ${error.cause?.message ?? error.message}`);
      },
    );
    const text = await answer.text();
    if (!answer.ok) throw new Unusable(`${control} answered ${answer.status}: ${text.slice(0, 500)}`);
    return text;
  };
  const report = JSON.parse(await ask('run'));
  return { report, junit: values.junit ? await ask('run.xml') : '' };
}

/** Trials of a document by itself: no client, no table, nothing saved. */
async function ofDocument(file, earlier) {
  const { interpreters, localScripts, NOTHING_KNOWN, readDocument, runTrials, writeJUnit } = await import('@virga/core');
  const { threadTime } = await import('@virga/threads');
  const { default: variant } = await import('@jitl/quickjs-wasmfile-release-sync');
  const { createRequire } = await import('node:module');
  const program = createRequire(import.meta.url).resolve('@jitl/quickjs-wasmfile-release-sync/wasm');
  const scripts = localScripts(async () => interpreters(variant, new Uint8Array(readFileSync(program))), {
    passed: () => performance.now(),
    worked: threadTime(),
  });
  const read = (name) => {
    try {
      return readDocument(JSON.parse(readFileSync(name, 'utf8')));
    } catch (error) {
      throw new Unusable(`${name}: ${error.message}`);
    }
  };
  const done = await runTrials(read(file), earlier === undefined ? null : read(earlier), {
    facts: NOTHING_KNOWN,
    scripts,
    nowMs: Date.now(),
    saved: [],
    ticks: () => performance.now(),
  }).catch((error) => {
    throw new Unusable(error.message);
  });
  const { counts, ...rest } = done;
  const report = { holds: counts.holds, fails: counts.fails, observed: counts.observed, notKnown: counts['not-known'], ...rest };
  return { report, junit: writeJUnit(done) };
}

/** The release that a gateway serves: that of its control plane, or the document that was given. */
async function servedDocument() {
  const { readDocument } = await import('@virga/core');
  if (values.document !== undefined) return readDocument(JSON.parse(readFileSync(values.document, 'utf8')));
  const get = async (path) => {
    const answer = await fetch(new URL(`/control/v1/${path}`, values.control), { headers: { authorization: `Bearer ${values.token}` } });
    if (!answer.ok) throw new Unusable(`${values.control} answered ${answer.status}`);
    return answer.json();
  };
  const { live } = await get('standing');
  if (live === null) throw new Unusable('nothing is live yet');
  return readDocument(await get(`releases/${live.number}/document`));
}

/** Sends one request as it is, in a connection of its own. @returns the status of its answer; 0 where the connection was closed without one */
function send(gateway, { method, target, headers }) {
  const { hostname, port } = new URL(gateway);
  const head = [
    `${method} ${target} HTTP/1.1`,
    `host: ${hostname}:${port}`,
    'connection: close',
    ...Object.entries(headers).map(([name, value]) => `${name}: ${value}`),
    '',
    '',
  ].join('\r\n');
  return new Promise((resolve, reject) => {
    const socket = connect(Number(port || 80), hostname, () => socket.write(head, 'latin1'));
    let text = '';
    socket.setTimeout(10_000, () => socket.destroy(new Unusable('the gateway gave no answer within 10 s')));
    socket.on('data', (part) => (text += part.toString('latin1')));
    socket.on('error', (error) =>
      error instanceof Unusable || error.code === 'ECONNREFUSED' ? reject(new Unusable(`${gateway}: ${error.message}`)) : resolve(0),
    );
    socket.on('close', () => resolve(Number(/^HTTP\/1\.[01] (\d{3})/.exec(text)?.[1] ?? 0)));
  });
}

/** Trials of a gateway over HTTP. What is not refused got through. */
async function ofGateway(gateway) {
  const { sentAttacks, writeJUnit } = await import('@virga/core');
  const from = performance.now();
  const attacks = await sentAttacks(await servedDocument(), Date.now());
  const items = [];
  for (const attack of attacks) {
    const status = await send(gateway, attack);
    const result = status === 0 || (status >= 400 && status < 500) ? 'holds' : 'fails';
    const [of, tried] = [attack.name.slice(0, attack.name.indexOf(': ')), attack.name.slice(attack.name.indexOf(': ') + 2)];
    items.push({
      name: attack.name,
      apiId: '',
      operationId: '',
      apiName: of,
      method: attack.method,
      path: attack.target,
      tried,
      expected: 'refused',
      result,
      step: 'route',
      code: 'route.matched',
      sentence: `The gateway answered ${status}.`,
    });
  }
  const count = (result) => items.filter((item) => item.result === result).length;
  const done = {
    items: items.sort((a, b) => Number(a.result === 'holds') - Number(b.result === 'holds')),
    operations: new Set(items.map(({ apiName }) => apiName)).size,
    tookMs: performance.now() - from,
  };
  return { report: { holds: count('holds'), fails: count('fails'), observed: 0, notKnown: 0, ...done }, junit: writeJUnit(done) };
}

function trials() {
  if (values.gateway !== undefined) return ofGateway(values.gateway);
  return values.control === undefined ? ofDocument(values.document, values.before) : ofControlPlane(values.control, values.token);
}

try {
  if ((values.control === undefined) === (values.document === undefined)) throw new Unusable('give --control ADDRESS or --document FILE, one of the two');
  const { report, junit } = await trials();
  if (report.items.length === 0) throw new Unusable('there is nothing to try');
  if (values.json) writeFileSync(values.json, `${JSON.stringify(report, null, 2)}\n`);
  if (values.junit) writeFileSync(values.junit, junit);
  const failing = report.items.filter(({ result }) => result === 'fails');
  for (const { name, expected, sentence } of failing.slice(0, SHOWN)) console.log(`got through: ${name}\n  ${expected} expected. ${sentence}`);
  if (failing.length > SHOWN) console.log(`and ${failing.length - SHOWN} more`);
  const open = [
    report.observed > 0 ? `${report.observed} would only be observed` : '',
    report.notKnown > 0 ? `${report.notKnown} hang on an authorizer` : '',
  ].filter(Boolean);
  console.log(
    `${report.cut ? 'Ways in were not all looked for to the end: some attacks began with a caller that may be stopped for another reason. ' : ''}${report.holds} trials of ${report.operations} operations hold, ${report.fails} do not${open.length > 0 ? `, ${open.join(', ')}` : ''} (${Math.round(report.tookMs)} ms)`,
  );
  process.exitCode = report.fails > 0 ? 1 : 0;
} catch (error) {
  if (!(error instanceof Unusable)) throw error;
  console.error(`The trials could not be run: ${error.message}`);
  process.exitCode = 2;
}
