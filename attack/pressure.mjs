// Ways by which one caller could bring down what serves the others.
import { hold, raw, request, statusOf } from './wire.mjs';

const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/** Whether another caller is served, soon, while something holds connections. */
async function othersAreServed(world, sockets, what) {
  try {
    await pause(300);
    for (let round = 0; round < 5; round++) {
      const from = performance.now();
      const status = statusOf(await raw(world.gateway, request('GET', `${world.root}/m/open`), { from: '127.0.0.2', silenceMs: 6000 }));
      const took = performance.now() - from;
      if (status !== 200 || took > 5000) return `${what}: another caller got ${status || 'nothing'} after ${Math.round(took)} ms`;
    }
    return null;
  } finally {
    for (const socket of sockets) socket.destroy();
    await pause(200);
  }
}

const many = (count, make) => Array.from({ length: count }, (_, index) => make(index));

export const PRESSURE = {
  'callers of a service that never answers': (world) =>
    othersAreServed(
      world,
      many(64, () => hold(world.gateway, request('GET', `${world.root}/m/hang`))),
      'hanging calls',
    ),
  'callers that never read a long answer': (world) =>
    othersAreServed(
      world,
      many(64, () => hold(world.gateway, request('GET', `${world.root}/m/long`))),
      'unread answers',
    ),
  'callers that send a byte and no more': (world) =>
    othersAreServed(
      world,
      many(64, () => hold(world.gateway, `POST ${world.root}/m/take HTTP/1.1\r\nHost: x\r\nContent-Length: 100000\r\n\r\nx`)),
      'slow uploads',
    ),
  'header sections without end': (world) =>
    othersAreServed(
      world,
      many(64, () => hold(world.gateway, 'GET / HTTP/1.1\r\nHost: x\r\nX: y')),
      'unfinished heads',
    ),
  'malformed messages by the hundred': async (world) => {
    await Promise.all(
      many(200, (index) => raw(world.gateway, ['NONSENSE\r\n\r\n', '\x16\x03\x01\x02\x00', 'GET\r\n\r\n', `GET / HTTP/9.9\r\n\r\n`][index % 4])),
    );
    return othersAreServed(world, [], 'malformed messages');
  },
  'an upload that is refused early can be read': async (world) => {
    const size = 3_000_000;
    const text = `POST ${world.root}/m/guarded HTTP/1.1\r\nHost: x\r\nContent-Length: ${size}\r\n\r\n${'x'.repeat(size)}`;
    const status = statusOf(await raw(world.gateway, text, { silenceMs: 2000 }));
    return status === 401 ? null : `the sender read ${status || 'nothing'} in place of 401`;
  },
  'large bodies without a credential at the control API': async (world) => {
    const target = new URL(world.control);
    const head = `POST /control/v1/apis HTTP/1.1\r\nHost: ${target.host}\r\nContent-Type: application/json\r\nContent-Length: 18000000\r\n\r\n${'x'.repeat(500_000)}`;
    const from = performance.now();
    const answers = await Promise.all(many(40, () => raw(target, head, { silenceMs: 4000 })));
    if (answers.some((answer) => statusOf(answer) !== 401)) return 'one was not answered 401';
    const { status } = await world.call('GET', '/standing');
    const took = performance.now() - from;
    return status === 200 && took < 20_000 ? null : `the control API was silent for ${Math.round(took)} ms`;
  },
  'bodies nested without end where one signs in': async (world) => {
    for (const body of [`{"name":${'['.repeat(5000)}`, `${'['.repeat(7000)}${']'.repeat(7000)}`, 'null', '{"name":{"a":1},"password":[]}']) {
      const answer = await fetch(`${world.control}/control/v1/session`, { method: 'POST', headers: { 'content-type': 'application/json' }, body });
      if (answer.status >= 500 || answer.status < 400) return `${body.slice(0, 20)} was answered ${answer.status}`;
    }
    return null;
  },
  'passwords by the dozen at once': async (world) => {
    const from = performance.now();
    const tries = await Promise.all(
      many(60, (index) =>
        fetch(`${world.control}/control/v1/session`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ name: 'operator', password: `wrong ${index}` }),
        }).then(({ status }) => status),
      ),
    );
    const tried = tries.filter((status) => status === 401).length;
    // Five at once, then one in two seconds.
    const allowed = 6 + Math.ceil((performance.now() - from) / 2000);
    return tried <= allowed ? null : `${tried} of 60 were tried`;
  },
  'descriptions that grow as they are read': async (world) => {
    const levels = many(9, (index) => `  l${index + 1}: &l${index + 1} [${many(9, () => `*l${index}`).join(', ')}]`).join('\n');
    const from = performance.now();
    for (const text of [
      `openapi: 3.1.0\nx:\n  l0: &l0 [a]\n${levels}\npaths: {}\n`,
      `openapi: 3.1.0\nx:\n${many(400_000, (index) => `  - &a${index} x`).join('\n')}\n`,
    ]) {
      const { status, body } = await world.call('POST', '/contracts/read', { text });
      if (status === 200 && body.usable) return 'one was found usable';
      if (status >= 500) return `one was answered ${status}`;
    }
    const took = performance.now() - from;
    return took < 60_000 ? null : `they took ${Math.round(took)} ms`;
  },
  'null where it means nothing': async (world) => {
    for (const patch of [
      { name: null },
      { basePath: null },
      { enabled: null },
      { access: null },
      { upstream: null },
      { token: { type: null } },
      { token: { dpop: null } },
    ]) {
      const { status } = await world.call('PATCH', `/apis/${world.mixed.id}`, patch);
      if (status !== 422) return `${JSON.stringify(patch)} was answered ${status}`;
    }
    return null;
  },
};
