import { compileRights } from '../access/check-rights.js';
import { checkDocument } from './check-document.js';
import type { CompiledApi, CompiledOperation, CompiledRelease, CompiledStep, Ports } from '../decision/compiled.js';
import { compileCredentialStep } from '../decision/credential-step.js';
import { METADATA_PREFIX } from '../decision/resource-metadata.js';
import { compileRightsStep } from '../decision/rights-step.js';
import { compileTokenStep, type TokenContext } from '../decision/token-step.js';
import type { AccessRule } from '../document/access-rule.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import { readTemplate, type TemplateSegment } from '../route/path-template.js';
import { Router } from '../route/router.js';
import { TokenCache } from '../token/token-cache.js';
import { ConfigError } from '../util/config-error.js';
import { finding } from '../verdict/codes.js';

/**
 * Checks a whole release once and makes it ready to decide with.
 * @throws ConfigError with the pointer of the member that is wrong
 */
export function compileRelease(document: ReleaseDocument, ports: Ports): CompiledRelease {
  checkDocument(document);
  const providersById = new Map(document.providers.map((provider) => [provider.id, provider]));
  const byIssuer = new Map(document.providers.map((provider) => [provider.issuer, provider]));
  const context: TokenContext = { verifier: { byIssuer, keys: ports.keys }, cache: new TokenCache(), providers: providersById, ports };
  const router = new Router<CompiledOperation, CompiledApi>();
  const apis = document.apis.map((api, index) => addApi(api, index, router, context));
  return { document, router, apis, metadata: new Map(apis.map((api) => [api.metadataPath, api])), providersById, tokenCache: context.cache, ports };
}

function addApi(rule: ApiRule, index: number, router: Router<CompiledOperation, CompiledApi>, context: TokenContext): CompiledApi {
  const pointer = `/apis/${index}`;
  const base: TemplateSegment[] = rule.basePath === '' ? [] : readTemplate(rule.basePath, `${pointer}/basePath`);
  if (base.some((segment) => segment.kind !== 'fixed')) throw new ConfigError(`${pointer}/basePath`, 'a base path has no parameters');
  const operations = rule.operations.map((operation) => compileOperation(operation, rule, context));
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

function compileOperation(rule: OperationRule, api: ApiRule, context: TokenContext): CompiledOperation {
  const access = rule.access ?? api.access;
  const rights = compileRights(access, api.schemes);
  const names = [...rule.path.matchAll(/\{([^{}]+)\}/g)].map((match) => match[1] ?? '');
  return {
    rule,
    label: `${rule.method} ${rule.path}`,
    access,
    rights,
    parameterNames: names,
    // Proof before rights, because a right belongs to whoever was proved to call.
    fallLine:
      rights === null ? [nothingAsked(access)] : [compileCredentialStep(rights), compileTokenStep(rights, api.token, context), compileRightsStep(rights)],
  };
}

function nothingAsked(access: AccessRule): CompiledStep {
  const found = finding('credential.not-asked', { rule: access.kind });
  return { step: 'credential', run: () => found };
}
