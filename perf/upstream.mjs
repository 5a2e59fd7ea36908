// A fast upstream with a small JSON answer.
import { createServer } from 'node:http';

const body = JSON.stringify({ gateId: 'G-12', section: 'west-3', opening: 35, lockedOut: false, name: 'Gate 12', movedAt: null });
const server = createServer((req, res) => {
  req.resume();
  res.writeHead(200, { 'content-type': 'application/json', 'content-length': body.length });
  res.end(body);
});
server.keepAliveTimeout = 65_000;
server.listen(0, '127.0.0.1', () => process.send({ port: server.address().port }));
process.on('disconnect', () => process.exit(0));
