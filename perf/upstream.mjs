// A fast upstream with a small JSON answer.
import { createServer } from 'node:http';

const body = JSON.stringify({ gateId: 'G-12', section: 'west-3', opening: 35, lockedOut: false, name: 'Gate 12', movedAt: null });
const reading = { meterId: 'M-1000', at: '2026-06-01T10:00:00Z', value: 41.5, unit: 'm3', quality: { flag: 'ok', sigma: 0.1 }, tags: ['north', 'daily'] };
const POSTED = JSON.stringify({ taken: 7, readings: Array.from({ length: 7 }, () => reading) });
const server = createServer((req, res) => {
  req.resume();
  // What is posted is answered with a kilobyte.
  if (req.method === 'POST') {
    res.writeHead(200, { 'content-type': 'application/json', 'content-length': POSTED.length });
    return void res.end(POSTED);
  }
  res.writeHead(200, { 'content-type': 'application/json', 'content-length': body.length });
  res.end(body);
});
server.keepAliveTimeout = 65_000;
server.listen(0, '127.0.0.1', () => process.send({ port: server.address().port }));
process.on('disconnect', () => process.exit(0));
