// For scale: the usual proxy library, with no checks.
import httpProxy from 'http-proxy';
import { Agent, createServer } from 'node:http';

const proxy = httpProxy.createProxyServer({ target: process.argv[2], agent: new Agent({ keepAlive: true, maxSockets: 128 }) });
proxy.on('error', (_error, _req, res) => res.end());
const server = createServer((req, res) => proxy.web(req, res));
server.keepAliveTimeout = 65_000;
server.listen(0, '127.0.0.1', () => process.send({ port: server.address().port }));
process.on('disconnect', () => process.exit(0));
