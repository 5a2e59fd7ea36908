import type { CompiledRights } from '../access/check-rights.js';
import type { TokenPlace, TokenRule } from '../document/token-rule.js';
import { redactHeader } from '../record/redact.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { CompiledStep } from './compiled.js';
import type { CredentialScheme, Exchange } from './exchange.js';

const TOKEN = /^[A-Za-z0-9\-._~+/]+=*$/;
const STRAY_HEADER = /^(?:bearer|dpop) /i;
const MISSING = finding('credential.missing', {});
const OPTIONAL = finding('credential.optional', {});
/** The parameter of RFC 6750 section 2.3: a token there is noticed even where none is taken. */
const STANDARD_QUERY: TokenPlace = { kind: 'query', name: 'access_token' };

/** A token found in a request, or why what stood there is none. */
type Found = { readonly token: string; readonly scheme: CredentialScheme } | Finding | null;

interface CompiledPlace {
  readonly rule: TokenPlace;
  readonly words: string;
  /** The findings that it leads to, made once. */
  readonly found: Readonly<Record<CredentialScheme, Finding>>;
  readonly find: (exchange: Exchange) => Found;
}

/**
 * Compiles the step that finds the token in the places that the rule allows (RFC 6750 section 2). Schemes are compared
 * without case. More than one token in a request is refused, wherever they stand.
 */
export function compileCredentialStep(rights: CompiledRights, rule: TokenRule): CompiledStep {
  const nobody = rights.providers.size === 0 && !rights.anonymous ? finding('credential.not-checkable', { schemes: [...rights.unmet] }) : null;
  const places = rule.places.map((place) => compilePlace(place, rule));
  const takesQuery = rule.places.some((place) => place.kind === 'query' && place.name === STANDARD_QUERY.name);
  const takesHeader = rule.places.some((place) => place.kind === 'header' && place.name === 'authorization');
  const strayQuery = takesQuery ? null : compilePlace(STANDARD_QUERY, rule);
  const missing =
    rule.places.length === 1 && rule.places[0]?.kind === 'header' && rule.places[0].scheme === 'Bearer'
      ? MISSING
      : finding('credential.missing-elsewhere', { places: places.map((place) => place.words) });
  return {
    step: 'credential',
    run: (exchange) => {
      if (nobody) return nobody;
      let first: { token: string; scheme: CredentialScheme; place: CompiledPlace } | null = null;
      for (const place of places) {
        const found = place.find(exchange);
        if (found === null) continue;
        if ('code' in found) return found;
        if (first) return finding('credential.repeated', { places: [first.place.words, place.words] });
        first = { ...found, place };
      }
      if (strayQuery && exchange.query !== '' && strayQuery.find(exchange) !== null) {
        return first
          ? finding('credential.repeated', { places: [first.place.words, strayQuery.words] })
          : finding('credential.in-query', { parameter: STANDARD_QUERY.name });
      }
      if (first && !takesHeader && STRAY_HEADER.test(exchange.header('authorization') ?? ''))
        return finding('credential.repeated', { places: [first.place.words, 'the Authorization header'] });
      if (!first) return rights.anonymous ? OPTIONAL : missing;
      exchange.credential = first.token;
      exchange.scheme = first.scheme;
      exchange.place = first.place.rule;
      return first.place.found[first.scheme];
    },
  };
}

function compilePlace(rule: TokenPlace, tokenRule: TokenRule): CompiledPlace {
  const words = wordsOf(rule);
  const said = (scheme: CredentialScheme): Finding => finding('credential.found', { place: words, scheme });
  return { rule, words, found: { Bearer: said('Bearer'), DPoP: said('DPoP') }, find: finderOf(rule, tokenRule) };
}

function wordsOf({ kind, name }: TokenPlace): string {
  if (kind === 'header') return name === 'authorization' ? 'the Authorization header' : `the header ${name}`;
  return kind === 'cookie' ? `the cookie ${name}` : `the query parameter ${name}`;
}

function finderOf(rule: TokenPlace, tokenRule: TokenRule): CompiledPlace['find'] {
  switch (rule.kind) {
    case 'header':
      return headerFinder(rule.name, rule.scheme, tokenRule);
    case 'cookie':
      return (exchange) => plain(cookieOf(exchange.header('cookie'), rule.name), 'The cookie');
    case 'query':
      return (exchange) => plain(parameterOf(exchange.query, rule.name), 'The query parameter');
  }
}

function headerFinder(name: string, scheme: string | null, rule: TokenRule): CompiledPlace['find'] {
  const where = name === 'authorization' ? 'The Authorization header' : `The header ${name}`;
  if (scheme === null) return (exchange) => plain(exchange.header(name), where);
  const prefix = new RegExp(`^${escaped(scheme)}(?: |$)`, 'i');
  // Both schemes are looked for, so that a bound token sent as Bearer is refused by the name of that mistake.
  const takesDpop = scheme.toLowerCase() === 'bearer';
  return (exchange) => {
    const header = exchange.header(name);
    if (header === undefined) return null;
    const isDpop = takesDpop && /^dpop(?: |$)/i.test(header);
    if (!isDpop && !prefix.test(header)) return otherScheme(header, scheme, where, rule.dpop === 'required');
    // One or more blanks stand between scheme and credential (RFC 9110 section 11.4).
    const token = header.slice(isDpop ? 4 : scheme.length).replace(/^ +/, '');
    return TOKEN.test(token) ? { token, scheme: isDpop ? 'DPoP' : 'Bearer' } : malformed(token, where, isDpop ? 'DPoP' : scheme);
  };
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** A token that stands alone, without scheme. An empty value counts as none. */
function plain(value: string | null | undefined, where: string): Found {
  if (value === undefined || value === null || value === '') return null;
  return TOKEN.test(value) ? { token: value, scheme: 'Bearer' } : malformed(value, where, null);
}

/** The value of a cookie (RFC 6265 section 5.4); a name that stands twice gives a text that is no token, so it is refused. */
function cookieOf(header: string | undefined, name: string): string | null {
  if (header === undefined) return null;
  const values = header.split(';').flatMap((pair) => {
    const at = pair.indexOf('=');
    return at > 0 && pair.slice(0, at).trim() === name ? [pair.slice(at + 1).trim()] : [];
  });
  return values.length === 0 ? null : values.join(' ');
}

/** The value of a query parameter; names are compared decoded, and one that stands twice gives a text that is no token. */
function parameterOf(query: string, name: string): string | null {
  if (query === '') return null;
  const values = new URLSearchParams(query).getAll(name);
  return values.length === 0 ? null : values.join(' ');
}

function otherScheme(header: string, wanted: string, where: string, dpop: boolean): Finding {
  const scheme = /^[A-Za-z][\w.+-]{0,40}(?= )/.exec(header)?.[0];
  if (scheme !== undefined)
    return finding('credential.other-scheme', {
      scheme: redactHeader('authorization', header).replace(/ ?<removed.*/, '') || 'no known one',
      wanted: dpop ? 'DPoP' : wanted,
    });
  return finding('credential.malformed', { where, reason: header.trim() === '' ? 'it is empty' : 'it has no scheme in front of the credential' });
}

function malformed(token: string, where: string, scheme: string | null): Finding {
  const say = (reason: string): Finding => finding('credential.malformed', { where, reason });
  if (token.trim() === '') return say(`there is no token behind ${scheme ?? 'it'}`);
  if (scheme !== null && new RegExp(`^\\s*${escaped(scheme)}\\s`, 'i').test(token)) return say(`the word ${scheme} stands twice`);
  if (/, *(bearer|dpop) /i.test(token)) return finding('credential.repeated', { places: ['one Authorization header', 'a second Authorization header'] });
  if (/^\s*(["']|%22).*(["']|%22)\s*$/.test(token)) return say('the token is in quotes');
  if (/\s/.test(token)) return say('there is white space in or around the token, as a line break or a blank leaves it');
  return say('the token has a character that no bearer token has');
}
