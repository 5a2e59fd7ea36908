// The thread that looks into requests which were answered: learns operations, finds sensitive data, and tells both when asked.
import { giveWay } from '@virga/threads';
import { parentPort } from 'node:worker_threads';
import { SightingDesk } from './sighting-desk.js';
import type { FromSightingThread, SeenRequest, ToSightingThread } from './sighting-messages.js';

giveWay('background');
const desk = new SightingDesk();
const tell = (message: FromSightingThread): void => parentPort?.postMessage(message);

/** What went wrong with one request; none where nothing did. One that cannot be looked into keeps the others from nothing. */
function faultOf(request: SeenRequest): string[] {
  try {
    desk.see(request);
    return [];
  } catch (error) {
    return [(error as Error).message];
  }
}

parentPort?.on('message', (message: ToSightingThread) => {
  switch (message.type) {
    case 'follow':
      desk.follow(message.release);
      return;
    case 'seen':
      tell({ type: 'took', requests: message.requests.length, bytes: message.bytes, faults: message.requests.flatMap(faultOf) });
      return;
    case 'report':
      tell({ type: 'report', apis: desk.report() });
  }
});
