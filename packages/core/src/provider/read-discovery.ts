import { isRecord } from '../util/json-pointer.js';

/** What a provider says of itself, as far as trusting its tokens and getting them needs it. */
export interface Discovery {
  readonly issuer: string;
  readonly jwksUri: string;
  readonly authorizationEndpoint: string | null;
  readonly tokenEndpoint: string | null;
  readonly introspectionEndpoint: string | null;
  readonly userinfoEndpoint: string | null;
  readonly deviceAuthorizationEndpoint: string | null;
  readonly signingAlgorithms: readonly string[];
  readonly grantTypes: readonly string[];
  readonly scopes: readonly string[];
}

export interface DiscoveryProblem {
  readonly member: string;
  readonly reason: string;
}

/**
 * The addresses a provider's metadata may live at: OpenID Connect Discovery 1.0 section 4 puts the well-known part
 * behind the issuer's path, RFC 8414 section 3.1 before it. Asked in this order.
 */
export function wellKnownUrls(issuer: string): string[] {
  const url = new URL(issuer);
  const path = url.pathname.replace(/\/$/, '');
  const forms = [
    `${url.origin}${path}/.well-known/openid-configuration`,
    `${url.origin}/.well-known/oauth-authorization-server${path}`,
    `${url.origin}/.well-known/openid-configuration${path}`,
  ];
  return [...new Set(forms)];
}

/** Why a text cannot be an issuer identifier (RFC 8414 section 2: a URL with no query and no fragment); null when it can. */
export function issuerProblem(issuer: string): string | null {
  if (!URL.canParse(issuer)) return 'an issuer is an absolute URL';
  const url = new URL(issuer);
  if (url.protocol !== 'https:' && url.protocol !== 'http:') return 'an issuer is an https URL';
  if (issuer.includes('?') || issuer.includes('#')) return 'an issuer has no query and no fragment (RFC 8414 section 2)';
  if (url.username !== '' || url.password !== '') return 'an issuer has no user name or password in it';
  return null;
}

/** Reads and checks a metadata document. The issuer in it must equal the one asked, byte for byte (RFC 8414 section 3.3). */
export function readDiscovery(document: unknown, issuer: string): Discovery | DiscoveryProblem {
  if (!isRecord(document)) return { member: '', reason: 'the answer is not a JSON object' };
  const named = document['issuer'];
  if (named !== issuer) {
    if (named !== undefined && typeof named !== 'string')
      return {
        member: 'issuer',
        reason: `the document's issuer is ${named === null ? 'null' : Array.isArray(named) ? 'an array' : `of type ${typeof named}`}, not a text`,
      };
    const said = named === undefined ? 'no issuer' : `"${named.slice(0, 200)}"`;
    const hint = typeof named === 'string' && named.replace(/\/$/, '') === issuer.replace(/\/$/, '') ? '; they differ only in a slash at the end' : '';
    return { member: 'issuer', reason: `the document names ${said}, asked was "${issuer}"${hint}` };
  }
  const jwksUri = document['jwks_uri'];
  if (jwksUri === undefined) return { member: 'jwks_uri', reason: 'there is no key set address' };
  if (typeof jwksUri !== 'string') return { member: 'jwks_uri', reason: 'the key set address is not a text' };
  if (!URL.canParse(jwksUri)) return { member: 'jwks_uri', reason: `"${jwksUri.slice(0, 200)}" is relative or no address; an absolute URL is needed` };
  return {
    issuer,
    jwksUri,
    authorizationEndpoint: urlOf(document['authorization_endpoint']),
    tokenEndpoint: urlOf(document['token_endpoint']),
    introspectionEndpoint: urlOf(document['introspection_endpoint']),
    userinfoEndpoint: urlOf(document['userinfo_endpoint']),
    deviceAuthorizationEndpoint: urlOf(document['device_authorization_endpoint']),
    signingAlgorithms: textsOf(document['id_token_signing_alg_values_supported']),
    grantTypes: textsOf(document['grant_types_supported']),
    scopes: textsOf(document['scopes_supported']),
  };
}

/** An address that a browser or the gateway can be sent to; a `javascript:` one is none. */
const urlOf = (value: unknown): string | null => (typeof value === 'string' && URL.canParse(value) && /^https?:$/.test(new URL(value).protocol) ? value : null);
const textsOf = (value: unknown): string[] => (Array.isArray(value) ? value.filter((item) => typeof item === 'string').slice(0, 200) : []);
