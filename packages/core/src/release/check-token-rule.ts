import { isAlgorithm } from '../document/algorithms.js';
import type { TokenPlace, TokenRule } from '../document/token-rule.js';
import { fail, unique, within } from './check-values.js';

const NAME = /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/;
const PARAMETER = /^[\w.~-]+$/;
/** Headers that mean something else and can hold no token. */
const TAKEN_HEADERS = new Set(['host', 'content-length', 'transfer-encoding', 'connection', 'cookie', 'dpop', 'expect', 'upgrade', 'te', 'trailer']);

/** Checks how tokens of an API or operation are verified. @throws ConfigError */
export function checkTokenRule(rule: TokenRule, at: string): void {
  if (rule.places.length === 0 || rule.places.length > 4) fail(`${at}/places`, 'a token travels in one to four places');
  rule.places.forEach((place, index) => checkPlace(place, `${at}/places/${index}`));
  unique(
    rule.places.map((place) => `${place.kind} ${place.name}`),
    (index) => `${at}/places/${index}`,
    'a place stands twice',
  );
  if (rule.type === '') fail(`${at}/type`, 'name a type, or ANY_TYPE');
  if (rule.audiences !== 'ANY_AUDIENCE' && rule.audiences.length === 0) fail(`${at}/audiences`, 'name an audience, or say ANY_AUDIENCE');
  if (rule.algorithms !== 'AS_PROVIDER') {
    if (rule.algorithms.length === 0) fail(`${at}/algorithms`, 'name an algorithm, or say AS_PROVIDER');
    rule.algorithms.forEach((name, index) => isAlgorithm(name) || fail(`${at}/algorithms/${index}`, `${String(name)} is no algorithm of this gateway`));
  }
  if (rule.clients !== 'ANY_CLIENT' && rule.clients.length === 0) fail(`${at}/clients`, 'name a client, or say ANY_CLIENT');
  if (rule.leewaySeconds !== 'AS_PROVIDER') within(rule.leewaySeconds, 0, 300, `${at}/leewaySeconds`);
  if (rule.maxAgeSeconds !== null) within(rule.maxAgeSeconds, 1, 31_536_000, `${at}/maxAgeSeconds`);
  rule.claims.forEach((demand, index) => {
    if (demand.values !== 'ANY_VALUE' && demand.values.length === 0) fail(`${at}/claims/${index}/values`, 'name a value, or say ANY_VALUE');
  });
  if (rule.dpop === 'required' && !rule.places.some((place) => place.kind === 'header' && place.scheme?.toLowerCase() === 'bearer')) {
    fail(`${at}/dpop`, 'a DPoP token travels in a header with the scheme DPoP: let one place be such a header (RFC 9449 section 7.1)');
  }
  if (rule.stepUp && rule.stepUp.maxAgeSeconds !== null) within(rule.stepUp.maxAgeSeconds, 0, 31_536_000, `${at}/stepUp/maxAgeSeconds`);
}

/** Checks where a credential travels. @throws ConfigError */
export function checkPlace(place: TokenPlace, at: string): void {
  if (place.kind === 'query') {
    if (!PARAMETER.test(place.name)) fail(`${at}/name`, 'a parameter has letters, digits, dots, dashes and underscores');
    return;
  }
  if (!NAME.test(place.name)) fail(`${at}/name`, `${place.name} is no ${place.kind} name`);
  if (place.kind !== 'header') return;
  if (place.name !== place.name.toLowerCase()) fail(`${at}/name`, 'a header name is written in lower case here');
  if (TAKEN_HEADERS.has(place.name)) fail(`${at}/name`, `the header ${place.name} cannot hold a token`);
  if (place.scheme !== null && !NAME.test(place.scheme)) fail(`${at}/scheme`, 'a scheme is one word');
}
