import type { ApiRule, OperationRule, ProviderRule, ReleaseDocument } from '@virga/core';
import { ANYWHERE, ENFORCED, NO_FENCE, NOTHING_SENSITIVE, UPSTREAM_LIMITS, tokenRule, AS_ITS_API, NOTHING_MORE } from '@virga/core';
import type { BenchTarget } from '@virga/protocol';
import { fieldProblem } from '../../http/problems.js';

/** A document that holds no more than one question needs, and the operation in it that is asked about. */
export interface Question {
  readonly document: ReleaseDocument;
  readonly apiId: string;
  readonly operationId: string;
  /** What is asked about, in words. */
  readonly words: string;
}

/**
 * Picks out of a document what a token is to be held against. For an API it is an operation that takes the API's rule
 * as it is; for a provider alone, an API that asks only that the token is genuine and in time.
 * @throws problem at the member that names nothing
 */
export function questionOf(document: ReleaseDocument, target: BenchTarget): Question {
  if (target.apiId !== undefined) return ofApi(document, target.apiId, target.operationId);
  const provider = document.providers.find((item) => item.id === target.providerId);
  if (!provider) throw fieldProblem('/providerId', 'Choose an operation, an API or a provider');
  return ofProvider(document, provider);
}

function ofApi(document: ReleaseDocument, apiId: string, operationId: string | undefined): Question {
  const api = document.apis.find((item) => item.id === apiId);
  if (!api) throw fieldProblem('/apiId', 'There is no such API in this document');
  const operation = operationId === undefined ? example(null) : api.operations.find((item) => item.id === operationId);
  if (!operation) throw fieldProblem('/operationId', 'The API has no such operation');
  if ((operation.access ?? api.access).kind !== 'required')
    throw fieldProblem('/operationId', 'Nobody is asked for a token there: every token, and none, gets in. Choose an operation that asks for one');
  const words = operationId === undefined ? `${api.name}, its default rule` : `${api.name}, ${operation.method} ${operation.path}`;
  // Whether a token is good depends neither on whether a bad one is refused yet nor on where it is sent from.
  const asked = {
    ...api,
    enabled: true,
    modes: ENFORCED,
    addresses: ANYWHERE,
    conditions: [],
    authorizers: [],
    sensitive: NOTHING_SENSITIVE,
    operations: [{ ...operation, modes: null, addresses: null, conditions: null, authorizers: null, contract: null, plan: null, limits: [], hidden: false }],
  };
  return { document: { ...document, fence: NO_FENCE, apis: [asked] }, apiId, operationId: operation.id, words };
}

function ofProvider(document: ReleaseDocument, provider: ProviderRule): Question {
  const api: ApiRule = {
    id: 'bench',
    name: provider.name,
    version: '',
    basePath: '',
    enabled: true,
    upstream: {
      url: 'http://127.0.0.1:9',
      connectTimeoutMs: 1000,
      responseTimeoutMs: 1000,
      sendCredential: false,
      callerFields: 'both',
      limits: UPSTREAM_LIMITS,
    },
    resource: { identifier: 'urn:bench', scopes: [] },
    token: tokenRule('ANY_AUDIENCE'),
    cors: null,
    schemes: [{ name: 'provider', type: 'http-bearer', declared: 'http bearer', metadataUrl: null, providers: [provider.id], place: null }],
    access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'provider', scopes: [], match: 'all', roles: [] }]] },
    ...NOTHING_MORE,
    operations: [example(null)],
  };
  return { document: { ...document, fence: NO_FENCE, apis: [api] }, apiId: 'bench', operationId: EXAMPLE, words: `${provider.name} alone, any audience` };
}

const EXAMPLE = 'GET /bench';
const example = (token: OperationRule['token']): OperationRule => ({
  id: EXAMPLE,
  method: 'GET',
  path: '/bench',
  ...AS_ITS_API,
  token,
});
