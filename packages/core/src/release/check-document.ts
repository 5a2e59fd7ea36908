import { contractInForce } from '../document/contract-rule.js';
import { METHOD_NAMES } from '../document/method-names.js';
import { RELEASE_FORMAT, takesTokens, type ApiRule, type ReleaseDocument } from '../document/release-document.js';
import type { TokenPlace } from '../document/token-rule.js';
import { UPSTREAM_LIMIT_RANGES, type UpstreamLimits } from '../document/upstream-limits.js';
import { checkAuthorizers, checkAuthorizerUses } from './check-authorizers.js';
import { checkConditionUses, checkSharedConditions } from './check-conditions.js';
import { checkAddresses, checkEntries, checkNetworks } from './check-addresses.js';
import { checkProvider } from './check-provider.js';
import { checkTokenRule } from './check-token-rule.js';
import { checkLanes, checkMessage } from './check-message.js';
import { checkContract, checkUnmatched } from './check-contract.js';
import { checkCounting, checkGuessing, checkLimits, checkPlans } from './check-limits.js';
import { checkDetectors, checkSensitive } from './check-sensitive.js';
import { checkScheme } from './check-scheme.js';
import { checkStructure } from './check-structure.js';
import { fail, unique, within } from './check-values.js';

/**
 * Checks that a release is built as its types say, and what they cannot say: ranges, references between its parts, names used twice.
 * @throws ConfigError with the pointer of the first member that is wrong
 */
export function checkDocument(document: ReleaseDocument): void {
  for (const step of checkInSteps(document)) void step;
}

/** The same, one small step at a time. @throws ConfigError from `next()` */
export function* checkInSteps(document: ReleaseDocument): Generator<void, void> {
  if (document.format !== RELEASE_FORMAT) fail('/format', `this version reads release format ${RELEASE_FORMAT}, not ${String(document.format)}`);
  yield* checkStructure(document);
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
  checkNetworks(document.networks, '/networks');
  const networks = new Set(document.networks.map(({ name }) => name));
  checkAddresses(document.fence.addresses, networks, '/fence/addresses');
  if (document.callerAddress) checkEntries(document.callerAddress.trustedHops, networks, '/callerAddress/trustedHops');
  yield* checkSharedConditions(document.conditions, '/conditions');
  yield* checkAuthorizers(document.authorizers, '/authorizers');
  checkDetectors(document.detectors, '/detectors');
  checkPlans(document.plans, '/plans');
  checkLimits(document.limits, '/limits');
  checkGuessing(document.guessing, '/guessing');
  checkCounting(document.counting, '/counting');
  const names: Names = {
    providers: new Set(document.providers.map((provider) => provider.id)),
    networks,
    conditions: new Set(document.conditions.map(({ name }) => name)),
    authorizers: new Set(document.authorizers.map(({ name }) => name)),
    detectors: new Set(document.detectors.map(({ id }) => id)),
  };
  for (const [index, api] of document.apis.entries()) yield* checkApi(api, names, `/apis/${index}`);
}

/** What rules of APIs call by name. */
interface Names {
  readonly providers: ReadonlySet<string>;
  readonly networks: ReadonlySet<string>;
  readonly conditions: ReadonlySet<string>;
  readonly authorizers: ReadonlySet<string>;
  readonly detectors: ReadonlySet<string>;
}

function* checkApi(api: ApiRule, { providers, networks, conditions, authorizers, detectors }: Names, at: string): Generator<void, void> {
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
  for (const [name, [least, most]] of Object.entries(UPSTREAM_LIMIT_RANGES))
    within(limits[name as keyof UpstreamLimits], least, most, `${at}/upstream/limits/${name}`);
  checkTokenRule(api.token, `${at}/token`);
  checkMessage(api.message, `${at}/message`);
  checkLanes(api.headers, `${at}/headers`);
  checkContract(api.contract, api.contractHash !== null, `${at}/contract`);
  checkUnmatched(api.unmatched, `${at}/unmatched`);
  checkSensitive(api.sensitive, detectors, `${at}/sensitive`);
  checkLimits(api.limits, `${at}/limits`);
  checkAddresses(api.addresses, networks, `${at}/addresses`);
  checkConditionUses(api.conditions, conditions, `${at}/conditions`);
  checkAuthorizerUses(api.authorizers, authorizers, `${at}/authorizers`);
  if (api.cors?.origins.includes('*') && api.cors.credentials) fail(`${at}/cors/credentials`, 'any origin cannot go with credentials');
  unique(
    api.schemes.map((scheme) => scheme.name),
    (index) => `${at}/schemes/${index}/name`,
    'two security schemes have the same name',
  );
  api.schemes.forEach((scheme, index) => checkScheme(scheme, providers, `${at}/schemes/${index}`));
  checkKeyPlaces(api, `${at}/schemes`);
  unique(
    api.operations.map((operation) => operation.id),
    (index) => `${at}/operations/${index}/id`,
    'two operations have the same id',
  );
  yield;
  for (const [index, operation] of api.operations.entries()) {
    if (operation.addresses) checkAddresses(operation.addresses, networks, `${at}/operations/${index}/addresses`);
    if (operation.conditions) checkConditionUses(operation.conditions, conditions, `${at}/operations/${index}/conditions`);
    if (operation.authorizers) checkAuthorizerUses(operation.authorizers, authorizers, `${at}/operations/${index}/authorizers`);
    if (operation.contract) checkContract(contractInForce(api.contract, operation.contract), api.contractHash !== null, `${at}/operations/${index}/contract`);
    if (operation.limits.length > 0) checkLimits(operation.limits, `${at}/operations/${index}/limits`);
    if (operation.message) checkMessage(operation.message, `${at}/operations/${index}/message`);
    if (operation.token) checkTokenRule({ ...api.token, ...operation.token }, `${at}/operations/${index}/token`);
    if (!(METHOD_NAMES as readonly string[]).includes(operation.method))
      fail(`${at}/operations/${index}/method`, `the method ${operation.method} is not one of ${METHOD_NAMES.join(', ')}`);
    if (index % 100 === 99) yield;
  }
}

/** Two credentials in one place would be one text with two meanings. */
function checkKeyPlaces(api: ApiRule, at: string): void {
  const taken = new Map<string, string>();
  const name = (place: TokenPlace): string => `${place.kind} ${place.name.toLowerCase()} ${place.kind === 'header' ? (place.scheme?.toLowerCase() ?? '') : ''}`;
  const tokens = [api.token, ...api.operations.flatMap(({ token }) => token ?? [])].flatMap(({ places }) => places ?? []);
  for (const place of api.schemes.some(({ type }) => takesTokens(type)) ? tokens : []) taken.set(name(place), 'the token');
  api.schemes.forEach(({ name: scheme, place }, index) => {
    if (place === null) return;
    const other = taken.get(name(place));
    if (other !== undefined) fail(`${at}/${index}/place`, `${other} travels in the same place`);
    if (place.kind === 'header' && place.name === 'authorization' && place.scheme === null)
      fail(`${at}/${index}/place/scheme`, 'a key in the Authorization header has a scheme in front of it');
    if (place.kind === 'header' && /^(?:basic|bearer|dpop)$/i.test(place.scheme ?? '')) fail(`${at}/${index}/place/scheme`, 'that scheme means something else');
    taken.set(name(place), `the key of ${scheme}`);
  });
}
