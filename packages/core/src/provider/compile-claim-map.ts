import { MAPPED_MEMBERS, type ClaimSource, type MappedMember } from '../document/claim-map.js';
import type { ProviderRule } from '../document/provider-rule.js';
import { isRounded } from '../util/is-rounded.js';
import { pointerParts, isRecord } from '../util/json-pointer.js';
import { ConfigError } from '../util/config-error.js';
import type { Principal, ReadPrincipal } from '../token/principal.js';
import type { JsonObject } from '../token/read-token.js';

/** At most this many values of one member are read; a token with more of them is refused. */
export const MOST_VALUES = 2000;
/** At most this many different texts are shared between tokens. */
const MAX_SHARED = 500;

/**
 * Compiles a provider's claim map. The principal keeps the provider's issuer whatever the claims say, so equal
 * subjects of two providers stay two principals.
 * @throws ConfigError at the pointer of a path that is none
 */
export function compileClaimMap(provider: ProviderRule, pointer = ''): ReadPrincipal {
  const { claimMap } = provider;
  const readers = Object.fromEntries(
    MAPPED_MEMBERS.map((member) => [member, compileSource(member, claimMap[member], `${pointer}/claimMap/${member}`)] as const),
  ) as unknown as Record<MappedMember, ReadValues>;
  const attributes = claimMap.attributes.map(
    (source, index) => [source.name, compileSource(`attributes.${source.name}`, source, `${pointer}/claimMap/attributes/${index}`)] as const,
  );
  const authTime = compileFind(claimMap.authTime, `${pointer}/claimMap/authTime`);
  const { id: providerId, name: providerName, issuer } = provider;
  return (claims) => {
    const unread: string[] = [];
    const many = (member: MappedMember) => readers[member](claims, unread);
    /** The only one; of several none is the one that is meant. */
    const one = (member: MappedMember): string | null => {
      const values = many(member);
      if (values.length > 1) unread.push(member);
      return values.length === 1 ? (values[0] ?? null) : null;
    };
    const principal: Principal = {
      providerId,
      providerName,
      issuer,
      subject: one('subject'),
      client: one('client'),
      scopes: many('scopes'),
      roles: many('roles'),
      groups: many('groups'),
      tenant: one('tenant'),
      acr: one('acr'),
      amr: many('amr'),
      authTime: timeOf(authTime(claims)),
      attributes: attributes.length === 0 ? NO_ATTRIBUTES : Object.fromEntries(attributes.map(([name, read]) => [name, read(claims, unread)])),
    };
    return unread.length === 0 ? principal : { ...principal, unread };
  };
}

const NO_ATTRIBUTES: Principal['attributes'] = Object.freeze({});
const NO_VALUES: readonly string[] = Object.freeze([]);

/** @param unread gains the member where something of it is no value */
type ReadValues = (claims: JsonObject, unread: string[]) => readonly string[];

/** Compiles one path of a claim map or of a claim demand. @throws ConfigError when it is empty */
export function compilePath(path: string, pointer: string): (claims: JsonObject) => unknown {
  if (path === '') throw new ConfigError(pointer, 'a path to a claim cannot be empty');
  if (!path.startsWith('/')) return (claims) => (Object.hasOwn(claims, path) ? claims[path] : undefined);
  const parts = pointerParts(path);
  if (!parts) throw new ConfigError(pointer, `${path} is no JSON Pointer: a tilde in it is written ~0`);
  return (claims) => {
    let value: unknown = claims;
    for (const part of parts) {
      if (Array.isArray(value)) value = /^(0|[1-9]\d{0,5})$/.test(part) ? (value as unknown[])[Number(part)] : undefined;
      else value = isRecord(value) && Object.hasOwn(value, part) ? value[part] : undefined;
    }
    return value;
  };
}

export function compileFind(source: ClaimSource, pointer: string): (claims: JsonObject) => unknown {
  const paths = source.paths.map((path, index) => compilePath(path, `${pointer}/paths/${index}`));
  return (claims) => {
    for (const read of paths) {
      const value = read(claims);
      if (value !== undefined && value !== null) return value;
    }
    return undefined;
  };
}

export const SEPARATORS: Readonly<Record<ClaimSource['split'], RegExp | null>> = { space: /\s+/, comma: /\s*,\s*/, none: null };

function compileSource(member: string, source: ClaimSource, pointer: string): ReadValues {
  const find = compileFind(source, pointer);
  const separator = SEPARATORS[source.split];
  const table = new Map(source.table.map((row) => [row.from, row.to]));
  const plain = source.stripPrefixes.length === 0 && table.size === 0 && source.unlisted === 'keep';
  // The same few texts of scopes come again and again; tokens that are kept share what they split into.
  const shared = new Map<string, readonly string[]>();
  const split = (value: unknown): readonly string[] => {
    if (typeof value !== 'string' || separator === null) return textsOf(value, separator);
    const known = shared.get(value);
    if (known) return known;
    const fresh = Object.freeze(textsOf(value, separator));
    if (shared.size < MAX_SHARED) shared.set(value, fresh);
    return fresh;
  };
  return (claims, unread) => {
    const claim = find(claims);
    const found = split(claim);
    const odd = isUnread(claim);
    if (odd) unread.push(member);
    // A claim that is there and cannot be read is not one that is missing: who has it is not given what others are given.
    if (found.length === 0) return odd ? NO_VALUES : source.fallback;
    if (plain) return found;
    const out = new Set<string>();
    for (const value of found) {
      const bare = strip(value, source.stripPrefixes);
      const translated = table.get(bare) ?? table.get(value);
      if (translated) for (const one of translated) out.add(one);
      else if (source.unlisted === 'keep') out.add(bare);
    }
    return out.size === 0 ? source.fallback : [...out];
  };
}

function strip(value: string, prefixes: readonly string[]): string {
  const prefix = prefixes.find((item) => value.startsWith(item) && value.length > item.length);
  return prefix === undefined ? value : value.slice(prefix.length);
}

/** Texts of a claim: one, several in one text, an array of them; numbers and booleans as JSON writes them. */
function textsOf(value: unknown, separator: RegExp | null): readonly string[] {
  if (typeof value === 'string') return separator === null ? [value] : value.split(separator, MOST_VALUES).filter(Boolean);
  if (isRounded(value)) return NO_VALUES;
  if (typeof value === 'number' || typeof value === 'boolean') return [String(value)];
  if (!Array.isArray(value)) return NO_VALUES;
  const texts: string[] = [];
  for (let index = 0; index < value.length && index < MOST_VALUES; index++) {
    const item = value[index] as unknown;
    if (typeof item === 'string') texts.push(item);
    else if ((typeof item === 'number' && !isRounded(item)) || typeof item === 'boolean') texts.push(String(item));
  }
  return texts;
}

/** Whether a claim is there and something of it is no value: an object, a number that was rounded, nothing, or such a thing in a list. */
function isUnread(value: unknown): boolean {
  if (value === undefined || isValue(value)) return false;
  return !Array.isArray(value) || !value.every(isValue);
}

const isValue = (value: unknown): boolean => typeof value === 'string' || typeof value === 'boolean' || (typeof value === 'number' && !isRounded(value));

const timeOf = (value: unknown): number | null => (typeof value === 'number' && Number.isFinite(value) ? value : null);
