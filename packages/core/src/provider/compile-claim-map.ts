import { MAPPED_MEMBERS, type ClaimSource, type MappedMember } from '../document/claim-map.js';
import type { ProviderRule } from '../document/provider-rule.js';
import { isRounded } from '../util/is-rounded.js';
import { pointerParts, isRecord } from '../util/json-pointer.js';
import { ConfigError } from '../util/config-error.js';
import type { Principal, ReadPrincipal } from '../token/principal.js';
import type { JsonObject } from '../token/read-token.js';

/** At most this many values of one member are read; the rest of a longer list is dropped. */
const MAX_VALUES = 500;
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
    MAPPED_MEMBERS.map((member) => [member, compileSource(claimMap[member], `${pointer}/claimMap/${member}`)] as const),
  ) as unknown as Record<MappedMember, ReadValues>;
  const attributes = claimMap.attributes.map((source, index) => [source.name, compileSource(source, `${pointer}/claimMap/attributes/${index}`)] as const);
  const authTime = compileFind(claimMap.authTime, `${pointer}/claimMap/authTime`);
  const { id: providerId, name: providerName, issuer } = provider;
  return (claims) => ({
    providerId,
    providerName,
    issuer,
    subject: readers.subject(claims)[0] ?? null,
    client: readers.client(claims)[0] ?? null,
    scopes: readers.scopes(claims),
    roles: readers.roles(claims),
    groups: readers.groups(claims),
    tenant: readers.tenant(claims)[0] ?? null,
    acr: readers.acr(claims)[0] ?? null,
    amr: readers.amr(claims),
    authTime: timeOf(authTime(claims)),
    attributes: attributes.length === 0 ? NO_ATTRIBUTES : Object.fromEntries(attributes.map(([name, read]) => [name, read(claims)])),
  });
}

const NO_ATTRIBUTES: Principal['attributes'] = Object.freeze({});
const NO_VALUES: readonly string[] = Object.freeze([]);

type ReadValues = (claims: JsonObject) => readonly string[];

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

function compileFind(source: ClaimSource, pointer: string): (claims: JsonObject) => unknown {
  const paths = source.paths.map((path, index) => compilePath(path, `${pointer}/paths/${index}`));
  return (claims) => {
    for (const read of paths) {
      const value = read(claims);
      if (value !== undefined && value !== null) return value;
    }
    return undefined;
  };
}

function compileSource(source: ClaimSource, pointer: string): ReadValues {
  const find = compileFind(source, pointer);
  const separator = { space: /\s+/, comma: /\s*,\s*/, none: null }[source.split];
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
  return (claims) => {
    const claim = find(claims);
    const found = split(claim);
    // A claim that is there and cannot be read is not one that is missing: who has it is not given what others are given.
    if (found.length === 0) return isUnread(claim) ? NO_VALUES : source.fallback;
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
  if (typeof value === 'string') return separator === null ? [value] : value.split(separator, MAX_VALUES).filter(Boolean);
  if (isRounded(value)) return NO_VALUES;
  if (typeof value === 'number' || typeof value === 'boolean') return [String(value)];
  if (!Array.isArray(value)) return NO_VALUES;
  const texts: string[] = [];
  for (let index = 0; index < value.length && index < MAX_VALUES; index++) {
    const item = value[index] as unknown;
    if (typeof item === 'string') texts.push(item);
    else if ((typeof item === 'number' && !isRounded(item)) || typeof item === 'boolean') texts.push(String(item));
  }
  return texts;
}

/** Whether a claim is there but no text of it can be read: an object, a number that was rounded, a list of nothing else. */
function isUnread(value: unknown): boolean {
  if (value === undefined || typeof value === 'string') return false;
  return !Array.isArray(value) || value.length > 0;
}

const timeOf = (value: unknown): number | null => (typeof value === 'number' && Number.isFinite(value) ? value : null);
