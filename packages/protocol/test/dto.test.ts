import { plainToInstance } from 'class-transformer';
import { validate, type ValidationError } from 'class-validator';
import * as protocol from '../src/index.js';

const pointers = (errors: readonly ValidationError[], at = ''): string[] =>
  errors.flatMap((error) => [...(error.constraints ? [`${at}/${error.property}`] : []), ...pointers(error.children ?? [], `${at}/${error.property}`)]);
const wrong = async (type: new () => object, value: object): Promise<string[]> =>
  pointers(await validate(plainToInstance(type, value), { whitelist: true, forbidNonWhitelisted: true }));

const source = { text: 'openapi: 3.1.0' };
const path = { paths: ['sub'], split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [] };
const claimMap = { subject: path, client: path, scopes: path, roles: path, groups: path, tenant: path, acr: path, amr: path, authTime: path, attributes: [] };
const requirement = { scheme: 's', scopes: ['gates:read'], match: 'all' };
const persona = { name: 'P', providerId: 'p', grant: 'client_credentials', clientId: 'c', scopes: [], resource: '' };
const probe = { method: 'GET', target: '/a?b=%20', headers: [{ name: 'accept', value: '*/*' }], sender: 'nobody', against: 'draft', forward: false };

describe('what is let in', () => {
  test.each<[string, new () => object, object]>([
    ['an import', protocol.ImportInput, { source, basePath: '/a/b', upstreamUrl: 'http://127.0.0.1:8080/base' }],
    ['an import at the root', protocol.ImportInput, { source, basePath: '', upstreamUrl: 'https://api.example' }],
    ['alternatives', protocol.AccessDto, { kind: 'required', alternatives: [{ schemes: [requirement] }, { schemes: [] }] }],
    ['a patch of nothing', protocol.ApiPatch, {}],
    ['CORS off', protocol.ApiPatch, { cors: null }],
    ['the API’s default again', protocol.OperationsPatch, { ids: ['GET /a'], access: null }],
    ['a provider', protocol.ProviderInput, { issuer: 'https://sign-in.example/tenant', name: 'T', algorithms: ['RS256', 'EdDSA'], leewaySeconds: 0 }],
    ['a claim map', protocol.ClaimMapDto, claimMap],
    [
      'an introspection endpoint',
      protocol.ProviderSourceDto,
      { kind: 'introspection', endpoint: 'https://a.example/i', clientId: 'g', secret: 's', method: 'private_key_jwt' },
    ],
    [
      'a token rule',
      protocol.TokenRuleDto,
      { places: [{ kind: 'cookie', name: 'session' }], type: 'at+jwt', audiences: ['a'], algorithms: [], stepUp: null, leewaySeconds: null },
    ],
    ['a revocation', protocol.RevocationInput, { kind: 'subject', providerId: 'p', value: 'rider.north', issuedBefore: null, reason: 'tablet lost' }],
    ['a token to be minted', protocol.MintInput, { algorithm: 'ES256', claims: { sub: 'x' }, header: { typ: 'JWT' } }],
    ['a persona', protocol.PersonaInput, persona],
    ['a probe', protocol.ProbeInput, probe],
    ['filters', protocol.TraceQuery, { outcome: 'refused', status: '403', since: '1700000000000', before: '1700000000000-abc', limit: '50' }],
  ])('%s', async (_name, type, value) => expect(await wrong(type, value)).toEqual([]));
});

describe('what is not, with the place', () => {
  test.each<[string, new () => object, object, string]>([
    ['a base path with a slash at the end', protocol.ImportInput, { source, basePath: '/a/', upstreamUrl: 'http://h' }, '/basePath'],
    ['a base path without one in front', protocol.ImportInput, { source, basePath: 'a', upstreamUrl: 'http://h' }, '/basePath'],
    ['an upstream with credentials', protocol.ImportInput, { source, basePath: '', upstreamUrl: 'http://u:p@h' }, '/upstreamUrl'],
    ['an upstream with a query', protocol.ImportInput, { source, basePath: '', upstreamUrl: 'http://h/?x' }, '/upstreamUrl'],
    [
      'a scope with a blank',
      protocol.AccessDto,
      { kind: 'required', alternatives: [{ schemes: [{ ...requirement, scopes: ['a b'] }] }] },
      '/alternatives/0/schemes/0/scopes',
    ],
    ['a scope with a quote (RFC 6749 section 3.3)', protocol.ScopeDto, { name: 'a"b', description: '' }, '/name'],
    ['a kind that is none', protocol.AccessDto, { kind: 'everybody' }, '/kind'],
    ['an identifier with a fragment (RFC 8707 section 2)', protocol.ResourceDto, { identifier: 'https://a.example#b', scopes: [] }, '/identifier'],
    ['a relative identifier', protocol.ResourceDto, { identifier: 'api', scopes: [] }, '/identifier'],
    [
      'an origin with a path',
      protocol.CorsDto,
      { origins: ['https://a.example/'], credentials: false, requestHeaders: [], exposedHeaders: [], maxAgeSeconds: 0 },
      '/origins',
    ],
    ['no ids', protocol.OperationsPatch, { ids: [], access: null }, '/ids'],
    ['an algorithm that there is not', protocol.ProviderInput, { issuer: 'https://a.example', name: 'x', algorithms: ['none'] }, '/algorithms'],
    ['a key set at no address', protocol.ProviderPatch, { source: { kind: 'key-set-url', url: 'keys.json' } }, '/source/url'],
    ['a source of another kind', protocol.ProviderPatch, { source: { kind: 'oracle' } }, '/source/kind'],
    ['a time-out of a day', protocol.ProviderPatch, { source: { kind: 'userinfo', timeoutMs: 86_400_000 } }, '/source/timeoutMs'],
    ['an attribute with a blank', protocol.ClaimMapDto, { ...claimMap, attributes: [{ ...path, name: 'a b' }] }, '/attributes/0/name'],
    ['an empty path to a claim', protocol.ClaimMapDto, { ...claimMap, roles: { ...path, paths: [''] } }, '/roles/paths'],
    ['a token in five places', protocol.TokenOverrideDto, { places: Array.from({ length: 5 }, () => ({ kind: 'header', name: 'a' })) }, '/places'],
    ['a token in a body', protocol.TokenOverrideDto, { places: [{ kind: 'body', name: 'token' }] }, '/places/0/kind'],
    ['a header name with a blank', protocol.TokenOverrideDto, { places: [{ kind: 'header', name: 'x token' }] }, '/places/0/name'],
    ['a scheme of two words', protocol.TokenOverrideDto, { places: [{ kind: 'header', name: 'x', scheme: 'a b' }] }, '/places/0/scheme'],
    ['a leeway of ten minutes', protocol.TokenRuleDto, { leewaySeconds: 600 }, '/leewaySeconds'],
    ['proof of possession by wish', protocol.TokenRuleDto, { dpop: 'maybe' }, '/dpop'],
    ['a demand on no claim', protocol.TokenRuleDto, { claims: [{ path: '', values: [] }] }, '/claims/0/path'],
    ['a revocation without reason', protocol.RevocationInput, { kind: 'jti', providerId: 'p', value: 'x', reason: '' }, '/reason'],
    ['a revocation of everything', protocol.RevocationInput, { kind: 'all', providerId: 'p', value: 'x', reason: 'y' }, '/kind'],
    ['a question about no token', protocol.ExamineInput, { against: 'draft', token: '' }, '/token'],
    ['claims that are a list', protocol.MintInput, { algorithm: 'RS256', claims: [] }, '/claims'],
    ['an unsigned token', protocol.MintInput, { algorithm: 'none', claims: {} }, '/algorithm'],
    ['a grant that there is not', protocol.GrantInput, { providerId: 'p', grant: 'magic', clientId: 'c', scopes: [] }, '/grant'],
    ['a scope with a blank', protocol.GrantInput, { providerId: 'p', grant: 'password', clientId: 'c', scopes: ['a b'] }, '/scopes'],
    ['a hop that is no address', protocol.CertificateHeaderDto, { enabled: true, name: 'client-cert', trustedHops: ['gateway.example'] }, '/trustedHops'],
    ['a leeway of half a day', protocol.ProviderPatch, { leewaySeconds: 43_200 }, '/leewaySeconds'],
    ['an issuer with a fragment', protocol.DiscoverInput, { issuer: 'https://a.example#x' }, '/issuer'],
    ['an empty name', protocol.PersonaInput, { ...persona, name: '' }, '/name'],
    ['another grant', protocol.PersonaInput, { ...persona, grant: 'password' }, '/grant'],
    ['a path with a blank', protocol.ProbeInput, { ...probe, target: '/a b' }, '/target'],
    ['a path with a line break', protocol.ProbeInput, { ...probe, target: '/a\r\nx: y' }, '/target'],
    ['a header that smuggles another', protocol.ProbeInput, { ...probe, headers: [{ name: 'a', value: 'b\r\nc: d' }] }, '/headers/0/value'],
    ['a header name with a colon', protocol.ProbeInput, { ...probe, headers: [{ name: 'a:', value: '' }] }, '/headers/0/name'],
    ['a status beyond HTTP', protocol.TraceQuery, { status: '999' }, '/status'],
    ['a page of a million', protocol.TraceQuery, { limit: '1000000' }, '/limit'],
    ['a member too many', protocol.PublishInput, { note: 'x', more: 1 }, '/more'],
    ['a year of minutes', protocol.FallQuery, { minutes: '525600' }, '/minutes'],
  ])('%s', async (_name, type, value, pointer) => expect(await wrong(type, value)).toEqual([pointer]));
});
