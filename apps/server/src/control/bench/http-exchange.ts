import { guardedFetchFunction, type FetchOptions } from '@virga/outbound';
import type { ReachPolicy } from '@virga/outbound';
import type { ExchangeView, HeaderView } from '@virga/protocol';

const SECRET_FIELDS = /^(client_secret|password|refresh_token|code|code_verifier|device_code|assertion|client_assertion|subject_token|actor_token|token)$/;
const TOKEN_MEMBERS = /^(access_token|refresh_token|id_token|device_code)$/;
const MASK = '••••••';
const BODY_LIMIT = 20_000;

/** A fetch function that writes down what was said on both sides, with every secret masked. */
export function recordingFetch(policy: ReachPolicy, exchanges: ExchangeView[]): (url: string, options?: FetchOptions) => Promise<Response> {
  const fetch = guardedFetchFunction(policy);
  return async (url, options = {}) => {
    const startedAt = Date.now();
    const body = bodyText(options.body);
    const method = options.method ?? 'GET';
    const headers = Object.entries(headersOf(options.headers));
    const view: ExchangeView = {
      method,
      url,
      requestHeaders: headers.map(([name, value]) => ({ name, value: name === 'authorization' ? maskedAuthorization(value) : value })),
      requestBody: maskedForm(body),
      status: null,
      responseHeaders: [],
      responseBody: '',
      tookMs: 0,
      curl: curlOf(method, url, headers, body),
    };
    exchanges.push(view);
    try {
      const answer = await fetch(url, options);
      const text = await answer.text();
      view.status = answer.status;
      view.responseHeaders = [...answer.headers].map(([name, value]): HeaderView => ({ name, value: name === 'set-cookie' ? MASK : value }));
      view.responseBody = maskedAnswer(text);
      view.tookMs = Date.now() - startedAt;
      // Statuses without a body must be made without one.
      return new Response([204, 205, 304].includes(answer.status) ? null : text, { status: answer.status, headers: answer.headers });
    } catch (error) {
      view.tookMs = Date.now() - startedAt;
      view.responseBody = (error as Error).message;
      throw error;
    }
  };
}

function headersOf(headers: unknown): Record<string, string> {
  const pairs = headers instanceof Headers ? [...headers] : Object.entries((headers ?? {}) as Record<string, string>);
  return Object.fromEntries(pairs.map(([name, value]) => [name.toLowerCase(), value]));
}

function bodyText(body: unknown): string {
  if (body instanceof URLSearchParams) return body.toString();
  return typeof body === 'string' ? body : '';
}

function maskedAuthorization(value: string): string {
  const [scheme = '', rest = ''] = value.split(' ', 2);
  if (scheme.toLowerCase() !== 'basic') return `${scheme} ${MASK}`;
  const user = Buffer.from(rest, 'base64').toString('utf8').split(':')[0] ?? '';
  return `Basic base64(${decodeURIComponent(user)}:${MASK})`;
}

const fields = (body: string): [string, string][] => (body === '' ? [] : [...new URLSearchParams(body)]);

const maskedForm = (body: string): string =>
  fields(body)
    .map(([name, value]) => `${name}=${SECRET_FIELDS.test(name) ? MASK : value}`)
    .join('\n');

/** The body of an answer; tokens in it are named by their length. What is no JSON is cut. */
function maskedAnswer(text: string): string {
  try {
    return JSON.stringify(
      JSON.parse(text),
      (name, value: unknown) => (typeof value === 'string' && TOKEN_MEMBERS.test(name) ? `${MASK} (${value.length} characters)` : value),
      2,
    ).slice(0, BODY_LIMIT);
  } catch {
    return text.slice(0, 2000);
  }
}

const quoted = (text: string): string => `'${text.replaceAll("'", "'\\''")}'`;

/** The request as a curl line. Secrets are shell variables, so that the line can be shown and sent on. */
function curlOf(method: string, url: string, headers: readonly (readonly [string, string])[], body: string): string {
  const parts = ['curl', ...(method === 'GET' ? [] : ['-X', method]), quoted(url)];
  for (const [name, value] of headers) {
    if (name === 'authorization' && /^basic /i.test(value)) {
      const user = Buffer.from(value.slice(6), 'base64').toString('utf8').split(':')[0] ?? '';
      parts.push('-u', `"${decodeURIComponent(user)}:$CLIENT_SECRET"`);
    } else if (name === 'authorization') parts.push('-H', '"Authorization: Bearer $TOKEN"');
    else if (!['content-length', 'user-agent', 'content-type'].includes(name)) parts.push('-H', quoted(`${name}: ${value}`));
  }
  for (const [name, value] of fields(body))
    parts.push('--data-urlencode', SECRET_FIELDS.test(name) ? `"${name}=$${name.toUpperCase()}"` : quoted(`${name}=${value}`));
  return parts.join(' ');
}
