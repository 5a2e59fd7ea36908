import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { Moods, type Mood } from '../moods.js';

/** What growers hold: cubic metres of a right in a season. */
const HOLDINGS: Readonly<Record<string, Readonly<Record<string, number>>>> = {
  'grower.217': { 'R-7 2026': 12_000, 'R-9 2026': 300 },
  'grower.218': { 'R-7 2026': 4_000 },
};
/** Whose session at the trust has ended: they are asked to prove themselves again. */
const ENDED: ReadonlySet<string> = new Set(['grower.404']);
export const WATER_RIGHT_SECRET = 'water-right-demo-secret';
/** Ways in which it can be disturbed on request. */
const DISTURBED = ['outage', 'slow', 'failing', 'not-json'] as const satisfies readonly Mood[];
const MAX_BODY = 65_536;

/**
 * A decision service: may this grower trade this much of this right in this season. Speaks the Access Evaluation of the OpenID
 * AuthZEN Authorization API 1.0 (messages from memory) at `/access/v1/evaluation`.
 */
export function waterRight(): Server {
  const moods = new Moods();
  return createServer((req, res) => {
    serve(req, res, moods).catch((error: Error) => send(res, 400, { error: error.message }));
  });
}

async function serve(req: IncomingMessage, res: ServerResponse, moods: Moods): Promise<void> {
  const url = new URL(req.url ?? '/', 'http://decides.example');
  if (url.pathname.startsWith('/standin/') && req.method === 'POST') return disturb(url, res, moods);
  if (await moods.spoil(req, res, 'http://decides.example')) return;
  if (url.pathname !== '/access/v1/evaluation') return send(res, 404, { error: 'there is /access/v1/evaluation' });
  if (req.method !== 'POST') return send(res, 405, { error: 'an evaluation is asked for by POST' });
  if (req.headers.authorization !== `Bearer ${WATER_RIGHT_SECRET}`) return send(res, 401, { error: 'the gateway is not known here' });
  if (moods.is('not-json')) return void res.writeHead(200, { 'content-type': 'text/html' }).end('<!doctype html><title>Maintenance</title>');
  send(res, 200, decide(await readQuestion(req)));
}

function disturb(url: URL, res: ServerResponse, moods: Moods): void {
  const name = url.pathname.slice('/standin/'.length);
  const number = (of: string): number | null => (url.searchParams.has(of) ? Number(url.searchParams.get(of)) : null);
  if (name === 'calm') {
    moods.calm();
    return send(res, 200, { moods: [] });
  }
  const mood = DISTURBED.find((one) => one === name);
  if (!mood) return send(res, 404, { error: `there are calm, ${DISTURBED.join(', ')} by POST with ?ms=` });
  send(res, 200, { until: moods.begin(mood, number('ms') ?? Number.NaN, number('slow')) });
}

interface Question {
  readonly subject?: { readonly id?: unknown };
  readonly action?: { readonly name?: unknown };
  readonly resource?: { readonly id?: unknown };
  readonly context?: { readonly season?: unknown; readonly cubicMetres?: unknown };
}

async function readQuestion(req: IncomingMessage): Promise<Question> {
  let text = '';
  for await (const part of req.setEncoding('utf8') as AsyncIterable<string>) {
    text += part;
    if (text.length > MAX_BODY) throw new Error('the question is too large');
  }
  return JSON.parse(text) as Question;
}

function decide({ subject, action, resource, context }: Question): object {
  const denied = (reason: string, code = 'forbidden') => ({ decision: false, context: { code, reason_admin: { en: reason } } });
  const [grower, right, season, wanted] = [subject?.id, resource?.id, context?.season, context?.cubicMetres];
  if (typeof grower !== 'string' || typeof right !== 'string') return denied('a grower and a right are asked about');
  if (ENDED.has(grower)) return denied(`the session of ${grower} has ended`, 'unauthenticated');
  if (action?.name !== 'trade') return denied(`nobody may ${String(action?.name)} a right here`);
  const held = HOLDINGS[grower]?.[`${right} ${String(season)}`];
  if (held === undefined) return denied(`${grower} holds nothing of ${right} in ${String(season)}`);
  if (typeof wanted !== 'number' || !(wanted > 0)) return denied('an amount above 0 is traded');
  return wanted <= held ? { decision: true, context: { code: 'held' } } : denied(`${grower} holds ${held} m³ of ${right} in ${String(season)}, not ${wanted}`);
}

function send(res: ServerResponse, status: number, body: object): void {
  if (res.headersSent) return;
  res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
}
