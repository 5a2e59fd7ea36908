import { threadTime } from './thread-time.js';

const sleep = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

test('work counts, and waiting does not, where the system tells it of threads', async () => {
  const worked = threadTime();
  const began = worked();
  expect(began === null).toBe(process.platform !== 'linux');
  if (began === null) return;
  const deadline = Date.now() + 20_000;
  while ((worked() ?? 0) < began + 30) if (Date.now() > deadline) throw new Error('work was not counted');
  const before = worked() ?? NaN;
  await sleep(1000);
  expect((worked() ?? NaN) - before).toBeLessThan(700);
});
