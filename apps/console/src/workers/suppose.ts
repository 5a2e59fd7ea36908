import type { Answers, Question } from './suppose-messages';

interface Waiting {
  readonly resolve: (answer: never) => void;
  readonly reject: (error: Error) => void;
}

const waiting = new Map<number, Waiting>();
let worker: Worker | null = null;
let asked = 0;

/** Asks the thread that supposes. It is started with the first question. */
export function suppose<Q extends Question>(question: Q): Promise<Answers[Q['ask']]> {
  worker ??= start();
  const id = ++asked;
  const answer = new Promise<Answers[Q['ask']]>((resolve, reject) => waiting.set(id, { resolve, reject }));
  worker.postMessage({ id, question });
  return answer;
}

function start(): Worker {
  const made = new Worker(new URL('./suppose-worker.ts', import.meta.url), { type: 'module' });
  made.addEventListener('message', ({ data }: MessageEvent<{ readonly id: number; readonly answer?: never; readonly error?: string }>) => {
    const who = waiting.get(data.id);
    waiting.delete(data.id);
    if (data.error === undefined) who?.resolve(data.answer as never);
    else who?.reject(new Error(data.error));
  });
  made.addEventListener('error', (event) => {
    for (const { reject } of waiting.values()) reject(new Error(event.message || 'The thread that decides ended'));
    waiting.clear();
    if (worker === made) worker = null;
    made.terminate();
  });
  return made;
}
