import type { CompiledRights } from '../access/check-rights.js';
import { compileFindKey } from '../credential/find-key.js';
import { findLeaked } from '../credential/find-leaked.js';
import { KEY_PREFIX } from '../credential/key-form.js';
import { placeWords } from '../credential/find-place.js';
import { compileFindToken } from '../credential/find-token.js';
import { compileReadAlso } from '../credential/read-also.js';
import type { SentCredential } from '../credential/sent-credential.js';
import { BEARER_HEADER, type TokenPlace, type TokenRule } from '../document/token-rule.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Exchange } from './exchange.js';

const STRAY_HEADER = /^(?:bearer|dpop) /i;
const BASIC = /^basic(?: |$)/i;
const MISSING = finding('credential.missing', {});
const OPTIONAL = finding('credential.optional', {});
const AUTHORIZATION: TokenPlace = { kind: 'header', name: 'authorization', scheme: 'Basic' };
/** The parameter of RFC 6750 section 2.3: a token there is noticed even where none is taken. */
const STANDARD_QUERY: TokenPlace = { kind: 'query', name: 'access_token' };

/** Looks for one credential. */
interface Finder {
  /** What it looks for, in words for a refusal. */
  readonly words: string;
  readonly find: (exchange: Exchange) => SentCredential | Finding | null;
}

/**
 * Compiles the step that finds the credentials that the operation looks for, each in its places. One token is taken at
 * most: more than one in a request is refused, wherever they stand (RFC 6750 section 2).
 */
export function compileCredentialStep(rights: CompiledRights, rule: TokenRule): Check {
  const nobody = rights.kinds.size === 0 && !rights.anonymous ? finding('credential.not-checkable', { schemes: [...rights.unmet] }) : null;
  const tokens = rights.kinds.has('token') ? rule.places.map((place) => tokenFinder(place, rule, rights)) : [];
  const others = [...rights.keys.map(keyFinder), ...(rights.kinds.has('basic') ? [BASIC_FINDER] : []), ...certificateFinder(rights)];
  const stray = tokens.length === 0 ? null : compileStray(rule, rights);
  const onlyBearer = others.length === 0 && rule.places.length === 1 && rule.places[0]?.kind === 'header' && rule.places[0].scheme === 'Bearer';
  const missing = onlyBearer ? MISSING : finding('credential.missing-elsewhere', { places: [...tokens, ...others].map(({ words }) => words) });
  const said = new Map<string, Map<string, Finding>>();

  return {
    step: 'credential',
    about: null,
    run: (exchange) => {
      if (nobody) return nobody;
      let token: SentCredential | null = null;
      for (const finder of tokens) {
        const found = finder.find(exchange);
        if (found === null) continue;
        if ('code' in found) return found;
        if (token) return finding('credential.repeated', { places: [token.words, found.words] });
        token = found;
      }
      const wrong = stray?.(exchange, token);
      if (wrong) return wrong;
      const sent: SentCredential[] = token === null ? [] : [token];
      for (const finder of others) {
        const found = finder.find(exchange);
        if (found === null) continue;
        if ('code' in found) return found;
        sent.push(found);
      }
      exchange.sentToken = token;
      exchange.sent = sent;
      if (sent.length === 0) return rights.anonymous ? OPTIONAL : (keyElsewhere(exchange, rights, others) ?? missing);
      if (token?.text.startsWith(KEY_PREFIX) === true && rights.keys.length > 0 && sent.length === 1)
        return keyElsewhere(exchange, rights, others) ?? sayFound(sent, said);
      return sayFound(sent, said);
    },
  };
}

/** A key of ours where no key is looked for: its sender is told no more than that a credential is missing, its operator where it stands. */
function keyElsewhere(exchange: Exchange, rights: CompiledRights, finders: readonly Finder[]): Finding | null {
  if (rights.keys.length === 0) return null;
  const named = Object.keys(exchange.headers).find((name) => hasKey(exchange.header(name) ?? ''));
  const place = named === undefined ? (hasKey(exchange.query) ? 'the query' : null) : placeWords({ kind: 'header', name: named, scheme: null });
  return place === null ? null : finding('credential.key-elsewhere', { place, wanted: finders.map(({ words }) => words) });
}

/** Looked at only where a request is refused anyway. */
const hasKey = (text: string): boolean => text.includes(KEY_PREFIX) && findLeaked(text).keys.length > 0;

/** What is said of credentials that were found, made once for each way in which they stand. */
function sayFound(sent: readonly SentCredential[], said: Map<string, Map<string, Finding>>): Finding {
  const [first] = sent;
  const alone = sent.length === 1 && first ? first : null;
  const where = alone ? alone.words : sent.map(({ words }) => words).join();
  const scheme = alone ? alone.scheme : sent.map((one) => one.scheme).join();
  let bySchemes = said.get(where);
  if (!bySchemes) said.set(where, (bySchemes = new Map<string, Finding>()));
  let found = bySchemes.get(scheme);
  if (!found) {
    found = alone
      ? finding('credential.found', { place: alone.words, scheme: nameOf(alone) })
      : finding('credential.found-several', { found: sent.map((one) => `${nameOf(one)} in ${one.words}`) });
    bySchemes.set(scheme, found);
  }
  return found;
}

function nameOf({ kind, scheme }: SentCredential): string {
  if (kind === 'key') return 'A key';
  return kind === 'certificate' ? 'A client certificate' : scheme;
}

function tokenFinder(place: TokenPlace, rule: TokenRule, rights: CompiledRights): Finder {
  const words = placeWords(place);
  const taken = rights.keys.flatMap((key) => (key.place.kind === 'header' && key.place.scheme !== null ? [key.place] : []));
  const isOthers = (name: string, value: string): boolean =>
    (name === 'authorization' && rights.kinds.has('basic') && BASIC.test(value)) ||
    taken.some((other) => other.kind === 'header' && other.name === name && value.toLowerCase().startsWith(`${other.scheme?.toLowerCase() ?? ''} `));
  const find = compileFindToken(place, rule.dpop, isOthers);
  const alike = compileAlike(place);
  return {
    words,
    find: (exchange) => {
      const found = alike?.(exchange) ?? find(exchange);
      if (found === null || 'code' in found) return found;
      return { kind: 'token', scheme: found.scheme, place, words, text: found.token };
    },
  };
}

/** Compiles the refusal of what some readers take for the place of a credential; null where nothing could be. */
function compileAlike(place: TokenPlace): ((exchange: Exchange) => Finding | null) | null {
  const also = compileReadAlso(place);
  if (also === null) return null;
  const words = placeWords(place);
  return (exchange) => {
    const other = also(exchange);
    return other === null ? null : finding('credential.alike', { place: words, other });
  };
}

function keyFinder({ scheme, place }: CompiledRights['keys'][number]): Finder {
  const words = placeWords(place);
  const find = compileFindKey(place);
  const alike = compileAlike(place);
  return {
    words: `${words} (a key)`,
    find: (exchange) => {
      const found = alike?.(exchange) ?? find(exchange);
      return typeof found === 'string' ? { kind: 'key', scheme, place, words, text: found } : found;
    },
  };
}

const BASIC_FINDER: Finder = {
  words: 'the Authorization header (Basic)',
  find: (exchange) => {
    const header = exchange.header('authorization');
    if (header === undefined || !BASIC.test(header)) return null;
    if (/, *(?:basic|bearer|dpop) /i.test(header))
      return finding('credential.repeated', { places: ['one Authorization header', 'a second Authorization header'] });
    return { kind: 'basic', scheme: 'Basic', place: AUTHORIZATION, words: 'the Authorization header', text: header.slice(5).trim() };
  },
};

function certificateFinder({ kinds }: CompiledRights): readonly Finder[] {
  if (!kinds.has('certificate')) return [];
  const words = 'the TLS connection';
  const find: Finder['find'] = ({ certificate }) => (certificate === null ? null : { kind: 'certificate', scheme: '', place: null, words, text: certificate });
  return [{ words: `${words} (a client certificate)`, find }];
}

/** Looks where tokens are not taken but mistakenly sent: a second one there is refused, and one alone there is named. */
function compileStray(rule: TokenRule, rights: CompiledRights): (exchange: Exchange, token: SentCredential | null) => Finding | null {
  const takesQuery = rule.places.some((place) => place.kind === 'query' && place.name === STANDARD_QUERY.name);
  const takesHeader = rule.places.some((place) => place.kind === 'header' && place.name === BEARER_HEADER.name);
  const query = takesQuery ? null : tokenFinder(STANDARD_QUERY, rule, rights);
  return (exchange, token) => {
    if (query && exchange.query !== '' && query.find(exchange) !== null) {
      return token
        ? finding('credential.repeated', { places: [token.words, query.words] })
        : finding('credential.in-query', { parameter: STANDARD_QUERY.name });
    }
    if (token && !takesHeader && STRAY_HEADER.test(exchange.header('authorization') ?? ''))
      return finding('credential.repeated', { places: [token.words, 'the Authorization header'] });
    return null;
  };
}
