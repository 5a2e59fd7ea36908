import { checkInSteps } from './check-document.js';
import { compileFence } from '../decision/address-step.js';
import { compileAuthorizer } from '../decision/authorizer-step.js';
import { CompiledOperation, type CompiledApi, type CompiledLine, type CompiledRelease } from '../decision/compiled.js';
import type { Ports } from '../decision/ports.js';
import { METADATA_PREFIX } from '../decision/resource-metadata.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import { compileClaimMap } from '../provider/compile-claim-map.js';
import { compileFindUnread } from '../provider/unread-claims.js';
import { parameterNames, readTemplate, type TemplateSegment } from '../route/path-template.js';
import { Router } from '../route/router.js';
import type { TrustedProvider } from '../token/verify-token.js';
import { compileLimits } from '../limit/compile-limits.js';
import { compilePlan } from '../limit/compile-plan.js';
import { AS_ITS_API } from '../document/plain-rules.js';
import { contractInForce, looksAtContract, NO_CONTRACT } from '../document/contract-rule.js';
import { detectorFinder } from '../sensitive/detectors.js';
import { ConfigError } from '../util/config-error.js';
import { asItIs, lineOf, type LineContext } from './compile-line.js';

/**
 * Checks a whole release once and makes it ready to decide with.
 * @throws ConfigError with the pointer of the member that is wrong
 */
export function compileRelease(document: ReleaseDocument, ports: Ports): CompiledRelease {
  const compiling = compileInSteps(document, ports);
  for (;;) {
    const step = compiling.next();
    if (step.done) return step.value;
  }
}

/**
 * The same, one small step at a time, so that whoever serves meanwhile can do so between two of them.
 * @throws ConfigError from `next()` with the pointer of the member that is wrong
 */
export function* compileInSteps(document: ReleaseDocument, ports: Ports): Generator<void, CompiledRelease> {
  yield* checkInSteps(document);
  const trusted = document.providers.map((rule, index): TrustedProvider => ({
    rule: ports.tokens.ruleOf(rule),
    readPrincipal: compileClaimMap(rule, `/providers/${index}`),
    findUnread: compileFindUnread(rule),
  }));
  const providersById = new Map(trusted.map((provider) => [provider.rule.id, provider]));
  // Tokens of providers that are asked are never proved by a key, so their issuers choose none.
  const byIssuer = new Map(trusted.filter(({ rule }) => !takesOpaqueTokens(rule)).map((provider) => [provider.rule.issuer, provider]));
  const plans = document.plans.map((rule, index) => compilePlan(rule, `/plans/${index}`));
  const context: LineContext = {
    verifier: { byIssuer, keys: ports.keys, signatures: ports.signatures },
    cache: ports.tokens,
    providers: providersById,
    ports,
    networks: document.networks,
    shared: document.conditions,
    authorizers: new Map(document.authorizers.map((rule, index) => [rule.name, compileAuthorizer(rule, `/authorizers/${index}`, ports)])),
    detector: detectorFinder(document.detectors),
    plans: { all: plans, byId: new Map(plans.map((plan) => [plan.rule.id, plan])) },
    limits: compileLimits(document.limits, 'gateway', '/limits'),
    guessing: document.guessing,
  };
  const { standIn = asItIs } = ports;
  const fence = compileFence(document.fence, document.networks);
  const router = new Router<CompiledOperation, CompiledApi>();
  const apis: CompiledApi[] = [];
  for (const [index, api] of document.apis.entries()) apis.push(yield* addApi(api, index, router, context));
  yield* router.complete();
  return {
    document,
    fence: fence && standIn(fence),
    router,
    apis,
    plans,
    limits: [
      ...context.limits,
      ...document.apis.flatMap((api, index) => [
        ...compileLimits(api.limits, api.id, `/apis/${index}/limits`),
        ...api.operations.flatMap((operation, place) =>
          operation.limits.length === 0 ? [] : compileLimits(operation.limits, `${api.id} ${operation.id}`, `/apis/${index}/operations/${place}/limits`),
        ),
      ]),
    ],
    metadata: new Map(apis.map((api) => [api.metadataPath, api])),
    providersById,
    verifier: context.verifier,
    tokenCache: context.cache,
    ports,
  };
}

function* addApi(rule: ApiRule, index: number, router: Router<CompiledOperation, CompiledApi>, context: LineContext): Generator<void, CompiledApi> {
  const pointer = `/apis/${index}`;
  const base = readBase(rule.basePath, `${pointer}/basePath`);
  const operations: CompiledOperation[] = [];
  const unmatched: (CompiledOperation | null)[] = [];
  const compiled: CompiledApi = {
    rule,
    pointer,
    operations,
    unmatched,
    contract: contractOf(rule, context.ports),
    metadataPath: `${METADATA_PREFIX}${rule.basePath}`,
    baseLength: base.reduce((length, segment) => length + (segment.kind === 'fixed' ? segment.text.length + 1 : 0), 0),
  };
  const { origin, pathname } = new URL(rule.upstream.url);
  const prefix = readBase(pathname.replace(/\/$/, ''), `${pointer}/upstream/url`);
  const add = router.addArea({ base, origin, prefix }, compiled, `${pointer}/basePath`);
  const lines = new Map<string, CompiledLine>();
  const known = new Map<string, TemplateSegment>();
  for (const [position, operation] of rule.operations.entries()) {
    const at = `${pointer}/operations/${position}`;
    const template = readTemplate(operation.path, `${at}/path`, known);
    const names = parameterNames(template);
    const line = lineOf(operation, names, { rule, pointer }, at, context, lines);
    const made = new CompiledOperation(operation, compiled, position, names, line);
    operations.push(made);
    const isRoot = operation.path === '/' && base.length > 0;
    add(isRoot ? [] : template, operation.method, made, line, at);
    // The root of an API below a base path is reached with and without the slash, by the same rule.
    if (isRoot) add([{ kind: 'fixed', text: '' }], operation.method, made, line, at);
    yield;
  }
  for (const [position, own] of rule.unmatched.entries()) {
    const stand = { ...NO_OPERATION, path: own.prefix };
    const line = own.mode === 'refuse' ? null : lineOf(stand, [], { rule, pointer }, `${pointer}/unmatched/${position}`, context, lines);
    unmatched.push(line && new CompiledOperation(stand, compiled, -1 - position, [], line));
  }
  return compiled;
}

/** What stands for the operation of a path that none matches: the API's own rules, and no contract, since none speaks of it. */
const NO_OPERATION: OperationRule = {
  id: '',
  method: '*',
  path: '/',
  ...AS_ITS_API,
  contract: { parts: NO_CONTRACT.parts },
};

/** A base path, or the path of an upstream's address: fixed segments only. */
function readBase(path: string, pointer: string): TemplateSegment[] {
  const base = path === '' ? [] : readTemplate(path, pointer);
  if (base.some((segment) => segment.kind !== 'fixed')) throw new ConfigError(pointer, 'a base path has no parameters');
  return base;
}

/** The contract of an API, where anything is held against it. */
function contractOf(rule: ApiRule, { contracts }: Ports): CompiledApi['contract'] {
  const wanted = [rule.contract, ...rule.operations.map((operation) => contractInForce(rule.contract, operation.contract))].some(looksAtContract);
  if (!wanted || rule.contractHash === null) return { source: null, reason: 'nothing is held against it' };
  const source = contracts.find(rule.contractHash);
  if (source === null) return { source, reason: 'its text is not here' };
  return source.dialect === null ? { source: null, reason: 'its schemas are of a dialect that is not read' } : { source, reason: '' };
}
