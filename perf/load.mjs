import { Pool } from 'undici';

/** Sends requests with a fixed number in flight for a time. @returns requests a second, and how many failed */
export async function load(port, { inFlight = 32, ...asked }) {
  const pool = poolTo(port, inFlight);
  const sent = await loadOver(pool, { inFlight, ...asked });
  await pool.destroy();
  return sent;
}

const poolTo = (port, inFlight) => new Pool(`http://127.0.0.1:${port}`, { connections: inFlight, pipelining: 1 });

async function loadOver(pool, { method = 'GET', path, headers = {}, body = null, inFlight, ms, leadMs = 0 }) {
  let done = 0;
  let failed = 0;
  let startedAt = performance.now();
  const until = startedAt + leadMs + ms;
  if (leadMs > 0)
    setTimeout(() => {
      done = 0;
      startedAt = performance.now();
    }, leadMs);
  const one = () =>
    new Promise((resolve) => {
      pool.dispatch(
        { path, method, headers, body },
        {
          onRequestStart() {},
          onResponseStart(_controller, status) {
            if (status !== 200) failed++;
          },
          onResponseData() {},
          onResponseEnd() {
            done++;
            resolve();
          },
          onResponseError() {
            failed++;
            resolve();
          },
        },
      );
    });
  await Promise.all(
    Array.from({ length: inFlight }, async () => {
      while (performance.now() < until) await one();
    }),
  );
  const perSecond = done / ((performance.now() - startedAt) / 1000);
  return { perSecond, failed };
}

/** So many turns are one round. What else the machine does comes and goes within seconds: in short turns it falls on all alike. */
const TURNS = 6;
/**
 * Goes before each turn and is not counted: a process that others kept from the processors begins with cold caches, which costs it a
 * tenth of the first quarter of a second, and whoever is served twice in a row does not pay it.
 */
const LEAD_MS = 250;

/**
 * Loads several ways by turns, always in the same order, over connections that stay. What is measured is how fast each is once it is
 * under way. A way is compared with what the first did before it and did again after it, by how near it was to either: a machine that
 * becomes slower within a turn would else count against whoever is last.
 * @param ways by name, each `{ port, method, path, headers, body }`; the first is what the others are compared with
 * @param ms of a round for each way
 * @returns of each way the medians of its `ratio` to the first and of its requests `perSecond`, and how many `failed`
 */
export async function inTurns(ways, { rounds, ms }) {
  const inFlight = 32;
  const names = Object.keys(ways);
  const pools = Object.fromEntries(names.map((name) => [name, poolTo(ways[name].port, inFlight)]));
  const take = (name) => loadOver(pools[name], { ...ways[name], inFlight, ms: ms / TURNS, leadMs: LEAD_MS });
  const turns = [];
  for (let turn = 0; turn < rounds * TURNS; turn++) {
    const measured = {};
    for (const name of names) measured[name] = await take(name);
    turns.push(measured);
  }
  const [first] = names;
  const last = await take(first);
  const firstAt = (turn, place) => {
    const share = place / names.length;
    return turns[turn][first].perSecond * (1 - share) + (turns[turn + 1]?.[first] ?? last).perSecond * share;
  };
  await Promise.all(Object.values(pools).map((pool) => pool.destroy()));
  return Object.fromEntries(
    names.map((name, place) => {
      const own = {
        ratio: median(turns.map((measured, turn) => measured[name].perSecond / firstAt(turn, place))),
        perSecond: Math.round(median(turns.map((measured) => measured[name].perSecond))),
        failed: turns.reduce((sum, measured) => sum + measured[name].failed, 0),
      };
      process.stdout.write(`${name}: ${own.perSecond} requests/s in ${turns.length} turns\n`);
      return [name, own];
    }),
  );
}

export const median = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
