import { PUBLIC_KEY_ALGORITHMS, isAlgorithm } from '../document/algorithms.js';
import { takesOpaqueTokens, type OpaqueTokens, type ProviderRule, type ProviderSource } from '../document/provider-rule.js';
import { MAX_KEYS } from '../provider/read-key-set.js';
import { issuerProblem } from '../provider/read-discovery.js';
import { fail, unique, within } from './check-values.js';

/** Checks one provider: its issuer, where trust comes from, its algorithms and times. @throws ConfigError */
export function checkProvider(provider: ProviderRule, at: string): void {
  const problem = issuerProblem(provider.issuer);
  if (problem !== null) fail(`${at}/issuer`, problem);
  checkSource(provider.source, `${at}/source`);
  checkAlgorithms(provider, `${at}/algorithms`);
  within(provider.leewaySeconds, 0, 300, `${at}/leewaySeconds`);
  within(provider.lastGoodSeconds, 60, 604_800, `${at}/lastGoodSeconds`);
  unique(
    provider.claimMap.attributes.map((attribute) => attribute.name),
    (index) => `${at}/claimMap/attributes/${index}/name`,
    'two attributes have the same name',
  );
}

/** A secret serves the symmetric algorithms and nothing else; published keys never do (RFC 8725 section 2.1). */
function checkAlgorithms(provider: ProviderRule, at: string): void {
  if (takesOpaqueTokens(provider)) return;
  if (provider.algorithms.length === 0) fail(at, 'at least one algorithm must be accepted');
  const bySecret = provider.source.kind === 'secret';
  provider.algorithms.forEach((algorithm, index) => {
    if (!isAlgorithm(algorithm)) fail(`${at}/${index}`, `${String(algorithm)} is no algorithm of this gateway`);
    if (PUBLIC_KEY_ALGORITHMS.includes(algorithm) === bySecret) {
      fail(`${at}/${index}`, bySecret ? `${algorithm} needs a public key, this provider has a secret` : `${algorithm} cannot be verified with published keys`);
    }
  });
}

function checkSource(source: ProviderSource, at: string): void {
  switch (source.kind) {
    case 'discovery':
      return;
    case 'key-set-url':
      checkEndpoint(source.url, `${at}/url`);
      return;
    case 'keys':
      if (source.keys.length === 0) fail(`${at}/keys`, 'there is no key');
      if (source.keys.length > MAX_KEYS) fail(`${at}/keys`, `there are more than ${MAX_KEYS} keys`);
      return;
    case 'secret':
      if (source.secret === '') fail(`${at}/secret`, 'no secret is named');
      return;
    case 'introspection':
      if (source.credential.clientId === '') fail(`${at}/credential/clientId`, 'the gateway needs a client id at the endpoint');
      checkOpaque(source, at);
      return;
    case 'userinfo':
      checkOpaque(source, at);
      return;
  }
}

function checkOpaque(source: OpaqueTokens, at: string): void {
  checkEndpoint(source.endpoint, `${at}/endpoint`);
  within(source.positiveSeconds, 0, 3600, `${at}/positiveSeconds`);
  within(source.negativeSeconds, 0, 300, `${at}/negativeSeconds`);
  within(source.timeoutMs, 50, 30_000, `${at}/timeoutMs`);
}

function checkEndpoint(address: string, pointer: string): void {
  const url = URL.canParse(address) ? new URL(address) : null;
  if (!url || !/^https?:$/.test(url.protocol)) fail(pointer, 'an endpoint is an absolute http or https URL');
  else if (url.username !== '' || url.password !== '' || url.hash !== '') fail(pointer, 'an endpoint has no credentials and no fragment in it');
}
