import { METHOD_NAMES } from '../document/method-names.js';
import { RELEASE_FORMAT, type ApiRule, type ReleaseDocument } from '../document/release-document.js';
import { UPSTREAM_LIMIT_RANGES, type UpstreamLimits } from '../document/upstream-limits.js';
import { checkProvider } from './check-provider.js';
import { checkTokenRule } from './check-token-rule.js';
import { checkAccess } from './check-access.js';
import { fail, oneOf, unique, within } from './check-values.js';

/**
 * Checks what the types of a release cannot say: ranges, references between its parts, names used twice.
 * @throws ConfigError with the pointer of the first member that is wrong
 */
export function checkDocument(document: ReleaseDocument): void {
  for (const step of checkInSteps(document)) void step;
}

/** The same, one small step at a time. @throws ConfigError from `next()` */
export function* checkInSteps(document: ReleaseDocument): Generator<void, void> {
  if (document.format !== RELEASE_FORMAT) fail('/format', `this version reads release format ${RELEASE_FORMAT}, not ${String(document.format)}`);
  unique(
    document.providers.map((provider) => provider.id),
    (index) => `/providers/${index}/id`,
    'two providers have the same id',
  );
  unique(
    document.providers.map((provider) => provider.issuer),
    (index) => `/providers/${index}/issuer`,
    'two providers have the same issuer',
  );
  unique(
    document.apis.map((api) => api.id),
    (index) => `/apis/${index}/id`,
    'two APIs have the same id',
  );
  document.providers.forEach((provider, index) => checkProvider(provider, `/providers/${index}`));
  document.certificateHeader?.trustedHops.forEach((hop, index) => {
    if (!/^[0-9a-f.:]+(\/\d{1,3})?$/i.test(hop)) fail(`/certificateHeader/trustedHops/${index}`, `${hop} is no address and no network`);
  });
  const providers = new Set(document.providers.map((provider) => provider.id));
  for (const [index, api] of document.apis.entries()) yield* checkApi(api, providers, `/apis/${index}`);
}

function* checkApi(api: ApiRule, providers: ReadonlySet<string>, at: string): Generator<void, void> {
  if (api.basePath !== '' && !/^(\/[^/{}?#;%\\\s]+)+$/.test(api.basePath))
    fail(`${at}/basePath`, 'a base path is empty, or begins with a slash, has no empty segment and does not end with a slash');
  if (/(^|\/)\.\.?(\/|$)/.test(api.basePath)) fail(`${at}/basePath`, 'a base path has no dot segments');
  if (api.basePath.startsWith('/.well-known')) fail(`${at}/basePath`, '/.well-known is served by the gateway itself');
  const upstream = URL.canParse(api.upstream.url) ? new URL(api.upstream.url) : null;
  if (!upstream || !/^https?:$/.test(upstream.protocol)) fail(`${at}/upstream/url`, 'the upstream is an absolute http or https URL');
  else if (upstream.search !== '' || upstream.hash !== '' || upstream.username !== '' || upstream.password !== '')
    fail(`${at}/upstream/url`, 'the upstream URL has no query, fragment or credentials');
  within(api.upstream.connectTimeoutMs, 10, 120_000, `${at}/upstream/connectTimeoutMs`);
  within(api.upstream.responseTimeoutMs, 10, 3_600_000, `${at}/upstream/responseTimeoutMs`);
  const { limits } = api.upstream;
  if (limits !== undefined) {
    for (const [name, [least, most]] of Object.entries(UPSTREAM_LIMIT_RANGES))
      within(limits[name as keyof UpstreamLimits], least, most, `${at}/upstream/limits/${name}`);
  }
  oneOf(api.enabled, [true, false], `${at}/enabled`);
  oneOf(api.upstream.sendCredential, [true, false], `${at}/upstream/sendCredential`);
  checkAccess(api.access, `${at}/access`);
  checkTokenRule(api.token, `${at}/token`);
  if (api.cors?.origins.includes('*') && api.cors.credentials) fail(`${at}/cors/credentials`, 'any origin cannot go with credentials');
  unique(
    api.schemes.map((scheme) => scheme.name),
    (index) => `${at}/schemes/${index}/name`,
    'two security schemes have the same name',
  );
  api.schemes.forEach((scheme, index) =>
    scheme.providers.forEach((id, position) => {
      if (!providers.has(id)) fail(`${at}/schemes/${index}/providers/${position}`, `there is no provider ${id}`);
    }),
  );
  unique(
    api.operations.map((operation) => operation.id),
    (index) => `${at}/operations/${index}/id`,
    'two operations have the same id',
  );
  yield;
  for (const [index, operation] of api.operations.entries()) {
    if (operation.access) checkAccess(operation.access, `${at}/operations/${index}/access`);
    if (operation.token) checkTokenRule({ ...api.token, ...operation.token }, `${at}/operations/${index}/token`);
    if (!(METHOD_NAMES as readonly string[]).includes(operation.method))
      fail(`${at}/operations/${index}/method`, `the method ${operation.method} is not one of ${METHOD_NAMES.join(', ')}`);
    if (index % 100 === 99) yield;
  }
}
