import { takesTokens, wellKnownUrls, type ProviderRule, type SchemeRule } from '@virga/core';
import type { SchemeDto } from '@virga/protocol';
import { placeFrom, placeView } from './token-mapping.js';

/** Whether somebody can meet a scheme. */
export const isProvable = ({ type, providers }: SchemeRule): boolean => type !== 'unsupported' && (!takesTokens(type) || providers.length > 0);

/** A scheme as an engineer wrote it. What its type has no use for is left out. */
export function schemeFrom({ name, type, declared, metadataUrl, providers, place }: SchemeDto): SchemeRule {
  return {
    name,
    type,
    declared,
    metadataUrl: metadataUrl ?? null,
    providers: takesTokens(type) ? providers : [],
    place: type === 'apiKey' && place ? placeFrom(place) : null,
  };
}

export const schemeView = (scheme: SchemeRule): SchemeDto => ({ ...scheme, providers: [...scheme.providers], place: scheme.place && placeView(scheme.place) });

/** Binds a scheme to the provider whose metadata the contract points at, where that provider is trusted already. */
export function bindByMetadata(schemes: readonly SchemeRule[], providers: readonly ProviderRule[]): SchemeRule[] {
  return schemes.map((scheme) => {
    const { metadataUrl } = scheme;
    const named = metadataUrl === null ? undefined : providers.find((provider) => wellKnownUrls(provider.issuer).includes(metadataUrl));
    return named ? { ...scheme, providers: [named.id] } : scheme;
  });
}
