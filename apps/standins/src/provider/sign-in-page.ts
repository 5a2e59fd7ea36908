import type { IncomingMessage, ServerResponse } from 'node:http';
import type Provider from 'oidc-provider';
import type { House } from './house.js';

const escapeHtml = (text: string): string => text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);

const STYLE = `body{font:16px/1.5 system-ui,sans-serif;background:#eef1ee;color:#26312b;display:grid;place-items:center;min-height:100vh;margin:0}
main{background:#fff;padding:2rem 2.5rem;width:22rem;border-top:4px solid #3a6b5a}h1{font-size:1.25rem;margin:0 0 .25rem}p{margin:.25rem 0 1rem}
label{display:block;margin:.75rem 0 .25rem}input,select{width:100%;box-sizing:border-box;font:inherit;padding:.45rem}button{font:inherit;margin-top:1.25rem;padding:.5rem 1.25rem;background:#3a6b5a;color:#fff;border:0}
.wrong{color:#8f2d1c}`;

function page(house: House, uid: string, client: string, problem: string): string {
  const options = house.people.map((person) => `<option>${escapeHtml(person.name)}</option>`).join('');
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(house.name)}</title><style>${STYLE}</style></head><body><main>
<h1>${escapeHtml(house.name)}</h1><p>Sign in for ${escapeHtml(client)}</p>${problem ? `<p class="wrong" role="alert">${escapeHtml(problem)}</p>` : ''}
<form method="post" action="/sign-in/${escapeHtml(uid)}"><label for="name">Name</label><select id="name" name="name">${options}</select>
<label for="password">Password</label><input id="password" name="password" type="password" autocomplete="off" required autofocus><button type="submit">Sign in</button></form></main></body></html>`;
}

/** The provider's own sign-in page: shows the form, takes name and password, goes on. */
export async function signInPage(provider: Provider, house: House, req: IncomingMessage, res: ServerResponse): Promise<void> {
  const details = await provider.interactionDetails(req, res);
  const client = String(details.params['client_id'] ?? '');
  // Some programs are asked about again each time; the people of the house have agreed already.
  if (details.prompt.name === 'consent') return provider.interactionFinished(req, res, { consent: {} }, { mergeWithLastSubmission: true });
  if (req.method !== 'POST') return sendPage(res, 200, page(house, details.uid, client, ''));
  const form = new URLSearchParams(await bodyOf(req));
  const person = house.people.find((item) => item.name === form.get('name') && item.password === form.get('password'));
  if (!person) return sendPage(res, 401, page(house, details.uid, client, 'Name or password is wrong.'));
  await provider.interactionFinished(req, res, { login: { accountId: person.name, acr: house.acr } }, { mergeWithLastSubmission: false });
}

function sendPage(res: ServerResponse, status: number, html: string): void {
  res.writeHead(status, { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-store' });
  res.end(html);
}

/** A request body of at most 64 KB. */
export async function bodyOf(req: IncomingMessage): Promise<string> {
  let text = '';
  for await (const part of req.setEncoding('utf8') as AsyncIterable<string>) {
    text += part;
    if (text.length > 65_536) throw new Error('the body is too large');
  }
  return text;
}
