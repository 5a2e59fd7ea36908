// The thread that looks into requests which were answered: learns operations, finds sensitive data, and tells both when asked.
import { parentPort } from 'node:worker_threads';
import { SightingDesk } from './sighting-desk.js';
import type { FromSightingThread, ToSightingThread } from './sighting-messages.js';

const desk = new SightingDesk();
const tell = (message: FromSightingThread): void => parentPort?.postMessage(message);

parentPort?.on('message', (message: ToSightingThread) => {
  switch (message.type) {
    case 'follow':
      desk.follow(message.release);
      return;
    case 'seen':
      for (const request of message.requests) desk.see(request);
      tell({ type: 'took', requests: message.requests.length, bytes: message.bytes });
      return;
    case 'report':
      tell({ type: 'report', apis: desk.report() });
  }
});
