import type { CompiledRights } from '../access/check-rights.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { CompiledStep } from './compiled.js';
import type { Exchange } from './exchange.js';

const BEARER = /^bearer(?: |$)/i;
const TOKEN = /^[A-Za-z0-9\-._~+/]+=*$/;
const IN_QUERY = /[?&]access_token=/;
const FOUND = finding('credential.found', { place: 'Authorization' });
const MISSING = finding('credential.missing', {});
const OPTIONAL = finding('credential.optional', {});

/** Compiles the step that finds the bearer token (RFC 6750 section 2.1); the scheme is compared without case. */
export function compileCredentialStep(rights: CompiledRights): CompiledStep {
  const nobody = rights.providers.size === 0 && !rights.anonymous ? finding('credential.not-checkable', { schemes: [...rights.unmet] }) : null;
  return { step: 'credential', run: (exchange) => nobody ?? findCredential(exchange, rights.anonymous) };
}

function findCredential(exchange: Exchange, anonymous: boolean): Finding {
  const header = exchange.header('authorization');
  const inQuery = exchange.query !== '' && IN_QUERY.test(exchange.query);
  if (header === undefined) {
    if (inQuery) return finding('credential.in-query', { parameter: 'access_token' });
    return anonymous ? OPTIONAL : MISSING;
  }
  if (!BEARER.test(header)) return notBearer(header);
  if (inQuery) return finding('credential.repeated', { places: ['the Authorization header', 'the query parameter access_token'] });
  const token = header.slice(7);
  if (!TOKEN.test(token)) return malformed(token);
  exchange.credential = token;
  return FOUND;
}

function notBearer(header: string): Finding {
  const scheme = /^[A-Za-z][\w.+-]{0,40}(?= )/.exec(header)?.[0];
  if (scheme !== undefined) return finding('credential.other-scheme', { scheme });
  return finding('credential.malformed', { reason: header.trim() === '' ? 'it is empty' : 'it has no scheme in front of the credential' });
}

function malformed(token: string): Finding {
  if (token.trim() === '') return finding('credential.malformed', { reason: 'there is no token behind Bearer' });
  if (/^\s*bearer\s/i.test(token)) return finding('credential.malformed', { reason: 'the word Bearer stands twice' });
  if (/, *bearer /i.test(token)) return finding('credential.repeated', { places: ['one Authorization header', 'a second Authorization header'] });
  if (/^\s*["'].*["']\s*$/.test(token)) return finding('credential.malformed', { reason: 'the token is in quotes' });
  if (/\s/.test(token)) return finding('credential.malformed', { reason: 'there is white space in or around the token' });
  return finding('credential.malformed', { reason: 'the token has a character that no bearer token has' });
}
