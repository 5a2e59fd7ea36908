import { compileRights } from '../access/check-rights.js';
import { checkDocument } from './check-document.js';
import { compileClaimChecks, compileClaimsStep } from '../decision/claims-step.js';
import type { CompiledApi, CompiledOperation, CompiledRelease, CompiledStep } from '../decision/compiled.js';
import { compileCredentialStep } from '../decision/credential-step.js';
import type { Ports } from '../decision/ports.js';
import { compileProofStep } from '../decision/proof-step.js';
import { METADATA_PREFIX } from '../decision/resource-metadata.js';
import { compileRightsStep } from '../decision/rights-step.js';
import { compileTokenStep, type TokenContext } from '../decision/token-step.js';
import type { AccessRule } from '../document/access-rule.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import { compileClaimMap } from '../provider/compile-claim-map.js';
import type { TokenRule } from '../document/token-rule.js';
import { readTemplate, type TemplateSegment } from '../route/path-template.js';
import { Router } from '../route/router.js';
import { TokenCache } from '../token/token-cache.js';
import type { TrustedProvider } from '../token/verify-token.js';
import { ConfigError } from '../util/config-error.js';
import { finding } from '../verdict/codes.js';

/**
 * Checks a whole release once and makes it ready to decide with.
 * @throws ConfigError with the pointer of the member that is wrong
 */
export function compileRelease(document: ReleaseDocument, ports: Ports): CompiledRelease {
  checkDocument(document);
  const trusted = document.providers.map((rule, index): TrustedProvider => ({ rule, readPrincipal: compileClaimMap(rule, `/providers/${index}`) }));
  const providersById = new Map(trusted.map((provider) => [provider.rule.id, provider]));
  // Tokens of providers that are asked are never proved by a key, so their issuers choose none.
  const byIssuer = new Map(trusted.filter(({ rule }) => !takesOpaqueTokens(rule)).map((provider) => [provider.rule.issuer, provider]));
  const context: TokenContext = { verifier: { byIssuer, keys: ports.keys }, cache: new TokenCache(), providers: providersById, ports };
  const router = new Router<CompiledOperation, CompiledApi>();
  const apis = document.apis.map((api, index) => addApi(api, index, router, context));
  return {
    document,
    router,
    apis,
    metadata: new Map(apis.map((api) => [api.metadataPath, api])),
    providersById,
    verifier: context.verifier,
    tokenCache: context.cache,
    ports,
  };
}

function addApi(rule: ApiRule, index: number, router: Router<CompiledOperation, CompiledApi>, context: TokenContext): CompiledApi {
  const pointer = `/apis/${index}`;
  const base: TemplateSegment[] = rule.basePath === '' ? [] : readTemplate(rule.basePath, `${pointer}/basePath`);
  if (base.some((segment) => segment.kind !== 'fixed')) throw new ConfigError(`${pointer}/basePath`, 'a base path has no parameters');
  const lines = new Map<string, CompiledLine>();
  const operations = rule.operations.map((operation, position) => compileOperation(operation, rule, `${pointer}/operations/${position}`, context, lines));
  const compiled: CompiledApi = { rule, operations, metadataPath: `${METADATA_PREFIX}${rule.basePath}` };
  router.addArea(base, compiled, `${pointer}/basePath`);
  for (const [position, operation] of operations.entries()) {
    const at = `${pointer}/operations/${position}`;
    const segments = operation.rule.path === '/' && base.length > 0 ? [] : readTemplate(operation.rule.path, `${at}/path`);
    const full = [...base, ...segments];
    router.add(full, operation.rule.method, operation, at);
    // The root of an API below a base path is reached with and without the slash, by the same rule.
    if (operation.rule.path === '/' && base.length > 0) router.add([...base, { kind: 'fixed', text: '' }], operation.rule.method, operation, at);
  }
  return compiled;
}

/** The part of an operation that depends only on who may call and how tokens are verified. */
type CompiledLine = Pick<CompiledOperation, 'rights' | 'token' | 'claimChecks' | 'fallLine'>;

/** @param lines those made already for this API: operations with equal rules share them */
function compileOperation(rule: OperationRule, api: ApiRule, pointer: string, context: TokenContext, lines: Map<string, CompiledLine>): CompiledOperation {
  const access = rule.access ?? api.access;
  const key = JSON.stringify([access, rule.token]);
  let line = lines.get(key);
  if (!line) lines.set(key, (line = compileLine(access, { ...api.token, ...rule.token }, api, pointer, context)));
  const parameterNames = [...rule.path.matchAll(/\{([^{}]+)\}/g)].map((match) => match[1] ?? '');
  return { rule, label: `${rule.method} ${rule.path}`, access, parameterNames, ...line };
}

function compileLine(access: AccessRule, token: TokenRule, api: ApiRule, pointer: string, context: TokenContext): CompiledLine {
  const rights = compileRights(access, api.schemes);
  const { ports } = context;
  const claimChecks = rights === null ? [] : compileClaimChecks(token, ports, `${pointer}/token`);
  return {
    rights,
    token,
    claimChecks,
    // Proof before rights, because a right belongs to whoever was proved to call; what the token is worth comes between.
    fallLine:
      rights === null
        ? [nothingAsked(access)]
        : [
            compileCredentialStep(rights, token),
            compileTokenStep(rights, token, context),
            compileProofStep(token, ports),
            compileClaimsStep(claimChecks, ports),
            compileRightsStep(rights),
          ],
  };
}

function nothingAsked(access: AccessRule): CompiledStep {
  const found = finding('credential.not-asked', { rule: access.kind });
  return { step: 'credential', run: () => found };
}
