// The reference: node:http in front, undici Pool.dispatch behind, no checks, no records.
import { createServer } from 'node:http';
import { Pool } from 'undici';

const pool = new Pool(process.argv[2], { connections: 128, pipelining: 1 });
const HOP = new Set(['connection', 'keep-alive', 'transfer-encoding', 'host', 'upgrade', 'te', 'trailer', 'proxy-connection']);

const server = createServer((req, res) => {
  const headers = [];
  for (const name in req.headers) if (!HOP.has(name)) headers.push(name, req.headers[name]);
  const body = req.headers['content-length'] === undefined && req.headers['transfer-encoding'] === undefined ? null : req;
  pool.dispatch(
    { path: req.url, method: req.method, headers, body },
    {
      onRequestStart() {},
      onResponseStart(controller, status, received) {
        const out = [];
        for (const name in received) if (!HOP.has(name)) out.push(name, received[name]);
        res.writeHead(status, out);
        res.on('drain', () => controller.resume());
      },
      onResponseData(controller, chunk) {
        if (!res.write(chunk)) controller.pause();
      },
      onResponseEnd() {
        res.end();
      },
      onResponseError() {
        if (!res.headersSent) res.writeHead(502);
        res.end();
      },
    },
  );
});
server.keepAliveTimeout = 65_000;
server.listen(0, '127.0.0.1', () => process.send({ port: server.address().port }));
process.on('disconnect', () => process.exit(0));
