import { Pool } from 'undici';

/** Sends requests with a fixed number in flight for a time. @returns requests a second, and how many failed */
export async function load(port, { method = 'GET', path, headers = {}, body = null, inFlight = 32, ms }) {
  const pool = new Pool(`http://127.0.0.1:${port}`, { connections: inFlight, pipelining: 1 });
  let done = 0;
  let failed = 0;
  const until = performance.now() + ms;
  const startedAt = performance.now();
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
  await pool.destroy();
  return { perSecond, failed };
}

export const median = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];
