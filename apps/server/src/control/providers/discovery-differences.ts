import { takesOpaqueTokens, type ProviderRule } from '@virga/core';
import type { DiscoveryView, ProviderDifference } from '@virga/protocol';

const list = (items: readonly string[]): string => (items.length === 0 ? 'none' : items.join(', '));

/** One way in which a provider may differ from what is set; null where it does not. */
type Look = (provider: ProviderRule, said: DiscoveryView) => ProviderDifference | null;

const keyAlgorithms = (said: DiscoveryView): string[] => [...new Set(said.keys.flatMap((key) => (key.algorithm === null ? [] : [key.algorithm])))];

const unusedAlgorithms: Look = (provider, said) => {
  const published = keyAlgorithms(said);
  const unused = published.filter((name) => !(provider.algorithms as readonly string[]).includes(name));
  if (takesOpaqueTokens(provider) || unused.length === 0) return null;
  const means = `Tokens signed with ${list(unused)} are refused. Accept it if the provider signs access tokens with it.`;
  return { what: 'Algorithms of its keys', set: list(provider.algorithms), said: list(published), means };
};

const algorithmsWithoutKey: Look = (provider, said) => {
  const published = keyAlgorithms(said);
  const unserved = provider.algorithms.filter((name) => published.length > 0 && !published.includes(name));
  if (takesOpaqueTokens(provider) || unserved.length === 0) return null;
  return {
    what: 'Algorithms without a key',
    set: list(provider.algorithms),
    said: list(published),
    means: `No published key serves ${list(unserved)}; it can be taken out.`,
  };
};

const otherKeySet: Look = ({ source }, said) => {
  if (source.kind === 'keys')
    return {
      what: 'Key set',
      set: `${source.keys.length} set by hand`,
      said: said.jwksUri ?? 'none',
      means: 'Keys set by hand do not follow a rotation. With discovery they do.',
    };
  if (source.kind !== 'key-set-url' || said.jwksUri === source.url) return null;
  return {
    what: 'Key set',
    set: source.url,
    said: said.jwksUri ?? 'none',
    means: 'The keys come from another address than the provider names; a rotation there is not seen here.',
  };
};

const otherEndpoint: Look = ({ source }, said) => {
  if (source.kind === 'userinfo' && said.introspectionEndpoint !== null) {
    const means = 'The provider offers introspection (RFC 7662), which says more and does not need the user’s rights.';
    return { what: 'Opaque tokens', set: `tried at ${source.endpoint}`, said: said.introspectionEndpoint, means };
  }
  if (source.kind !== 'introspection' || said.introspectionEndpoint === source.endpoint) return null;
  return {
    what: 'Introspection endpoint',
    set: source.endpoint,
    said: said.introspectionEndpoint ?? 'none',
    means: 'Tokens are asked about at another address than the provider names.',
  };
};

const LOOKS: readonly Look[] = Object.freeze([otherKeySet, unusedAlgorithms, algorithmsWithoutKey, otherEndpoint]);

/** Where what is set for a provider and what it says of itself differ, and what follows from each. */
export function differencesOf(provider: ProviderRule, said: DiscoveryView): ProviderDifference[] {
  return LOOKS.flatMap((look) => look(provider, said) ?? []);
}
