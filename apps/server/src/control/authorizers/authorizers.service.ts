import { Injectable } from '@nestjs/common';
import { explain, isCovered, type ApiRule, type AuthorizerRule, type OperationRule, type ReleaseDocument } from '@virga/core';
import type {
  AuthorizerInput,
  AuthorizerList,
  AuthorizerUse,
  AuthorizerUsesInput,
  AuthorizerView,
  CoveredView,
  TriedAuthorizer,
  TriedList,
  TriedView,
  TryAuthorizerInput,
} from '@virga/protocol';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { NodeHub } from '../../nodes/node-hub.js';
import { SecretsService } from '../../secret/secrets.service.js';
import type { EditedBy } from '../../session/edited-by.js';
import { revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';
import { costOf } from './authorizer-cost.js';
import { authorizerFrom, serviceView } from './authorizer-mapping.js';

/** Authorizers of the draft: made, tried by a node's own code, and called by rules. */
@Injectable()
export class AuthorizersService {
  constructor(
    private readonly draft: DraftService,
    private readonly hub: NodeHub,
    private readonly secrets: SecretsService,
  ) {}

  list(): AuthorizerList {
    const { document } = this.draft;
    return {
      items: document.authorizers.map((rule) => ({
        name: rule.name,
        description: rule.description,
        kind: rule.by.kind,
        caseCount: rule.cases.length,
        useCount: usesOf(document, rule.name).length,
        cached: rule.cache !== null,
        cost: this.#cost(rule.name),
      })),
    };
  }

  view(name: string): AuthorizerView {
    const { document } = this.draft;
    const rule = this.#find(name);
    const { by, cache } = rule;
    return {
      name: rule.name,
      revision: revisionOf(rule),
      description: rule.description,
      script: by.kind === 'script' ? { source: by.source, timeMs: by.timeMs, megabytes: by.megabytes, tables: [...by.tables], body: by.body } : null,
      service: by.kind === 'service' ? serviceView(by) : null,
      passes: [...rule.passes],
      cache: cache && { seconds: cache.seconds, key: [...cache.key] },
      cases: rule.cases.map((one) => ({ ...one })),
      uses: usesOf(document, name),
      cost: this.#cost(name),
    };
  }

  /** Makes one, or sets it whole; another name in it renames it, and the rules that call it follow. */
  async set(name: string, input: AuthorizerInput, { by, ifMatch }: EditedBy): Promise<AuthorizerView> {
    await this.draft.change({ part: { kind: 'authorizers', id: name }, ifMatch, by }, async (document) => {
      const before = document.authorizers.find((rule) => rule.name === name) ?? null;
      if (before === null && input.name !== name) throw notFound('authorizer');
      const rule = await authorizerFrom(input, before, this.secrets);
      if (rule.name !== name && document.authorizers.some((other) => other.name === rule.name))
        throw fieldProblem('/name', `Another authorizer is called ${rule.name}`);
      const authorizers = before === null ? [...document.authorizers, rule] : document.authorizers.map((other) => (other === before ? rule : other));
      return rule.name === name ? { ...document, authorizers } : { ...renamed(document, name, rule.name), authorizers };
    });
    return this.view(input.name);
  }

  async remove(name: string, { by, ifMatch }: EditedBy): Promise<void> {
    this.#find(name);
    const [use] = usesOf(this.draft.document, name);
    if (use) throw problem(409, 'Rules call it', `${use.apiName}: ${use.label} calls ${name}. Let no rule call it first.`);
    await this.draft.change({ part: { kind: 'authorizers', id: name }, ifMatch, by }, (document) => ({
      ...document,
      authorizers: document.authorizers.filter((rule) => rule.name !== name),
    }));
  }

  /** Lets rules call it, or no longer. An operation that takes its API's list gets one of its own. */
  async use(name: string, { apiId, operationIds, called }: AuthorizerUsesInput, { by }: EditedBy): Promise<AuthorizerView> {
    this.#find(name);
    if (operationIds === undefined) throw fieldProblem('/operationIds', 'Name the operations, or say null for the rule of the API itself');
    await this.draft.change({ by }, (document) => {
      const api = document.apis.find(({ id }) => id === apiId);
      if (!api) throw fieldProblem('/apiId', `There is no API ${apiId}`);
      const unknown = operationIds?.find((id) => !api.operations.some((operation) => operation.id === id));
      if (unknown !== undefined) throw fieldProblem('/operationIds', `There is no operation ${unknown.slice(0, 200)}`);
      const changed = (list: readonly string[]): readonly string[] =>
        list.includes(name) === called ? list : called ? [...list, name] : list.filter((other) => other !== name);
      const wanted = operationIds && new Set(operationIds);
      const ofOperation = (operation: OperationRule): OperationRule => {
        const list = operation.authorizers ?? api.authorizers;
        const after = changed(list);
        return after === list ? operation : { ...operation, authorizers: after };
      };
      const renewed: ApiRule = wanted
        ? { ...api, operations: api.operations.map((operation) => (wanted.has(operation.id) ? ofOperation(operation) : operation)) }
        : { ...api, authorizers: changed(api.authorizers) };
      return { ...document, apis: document.apis.map((other) => (other === api ? renewed : other)) };
    });
    return this.view(name);
  }

  /** Asks it as it was sent, saved or not, with inputs by hand, on a node. */
  async try({ authorizer, inputs }: TryAuthorizerInput): Promise<TriedList> {
    const before = this.draft.document.authorizers.find(({ name }) => name === authorizer.name) ?? null;
    const rule = await authorizerFrom({ ...authorizer, cases: [] }, before, unsaved(authorizer));
    const tried = await this.hub.tryAuthorizer({ rule, inputs }).catch((error: Error) => {
      throw problem(422, 'It cannot be asked', error.message);
    });
    if (tried === null) throw problem(503, 'No node is connected', 'An authorizer is tried on a gateway node, by the code that requests take.');
    const called = usesOf(this.draft.document, rule.name);
    return { items: tried.map((one) => this.#tried(one, called)) };
  }

  /** Forgets its kept answers, on every node, at once. */
  drop(name: string): void {
    this.#find(name);
    this.hub.dropAnswers(name);
  }

  #tried({ says, code, operands, headers, covers, seconds, tookMs }: TriedAuthorizer, called: readonly AuthorizerUse[]): TriedView {
    const place = (member: string): number => (typeof operands[member] === 'number' ? operands[member] : 0);
    return {
      says,
      sentence: explain(code, operands)?.sentence ?? code,
      line: place('line'),
      column: place('column'),
      headers: Object.entries(headers).map(([name, value]) => ({ name, value })),
      covers: covers.map((pattern) => this.#covered(pattern, called)),
      seconds,
      tookMs,
    };
  }

  /** The operations whose requests a pattern may open: a parameter is taken for any one segment. */
  #covered(pattern: { readonly method: string; readonly path: string }, called: readonly AuthorizerUse[]): CoveredView {
    const operations = called.flatMap(({ apiId, operationId }) => {
      const api = this.draft.document.apis.find(({ id }) => id === apiId);
      return (api?.operations ?? [])
        .filter((operation) => (operationId === null ? operation.authorizers === null : operation.id === operationId))
        .filter((operation) => mayCover(pattern, { method: operation.method, path: `${api?.basePath ?? ''}${operation.path}` }))
        .map((operation) => `${api?.name ?? ''}: ${operation.method} ${operation.path}`);
    });
    return { method: pattern.method, path: pattern.path, operations };
  }

  #cost(name: string) {
    return costOf(this.hub.nodes.flatMap(({ status }) => status?.authorizers?.filter((report) => report.name === name) ?? []));
  }

  #find(name: string): AuthorizerRule {
    const rule = this.draft.document.authorizers.find((one) => one.name === name);
    if (!rule) throw notFound('authorizer');
    return rule;
  }
}

/** Whether some request of a template is among those that a pattern covers. */
function mayCover(pattern: { readonly method: string; readonly path: string }, { method, path }: { readonly method: string; readonly path: string }): boolean {
  const wanted = pattern.path.slice(1).split('/');
  // Where the template leaves a segment open, the pattern's own text is a request of it.
  const asked = path
    .slice(1)
    .split('/')
    .map((segment, index) =>
      segment.includes('{') && wanted[index] !== undefined && wanted[index] !== '**' && wanted[index] !== '*' ? wanted[index] : segment,
    );
  return isCovered(pattern, { method, path: `/${asked.join('/')}` });
}

/** A secret that was typed and not saved is not tried: nodes know only what is kept. */
function unsaved({ service }: AuthorizerInput): SecretsService {
  if (service?.credential?.secret) throw problem(422, 'Save it first', 'A new secret is sent to the nodes when it is saved; then it can be tried.');
  return null as never;
}

/** The rules that call an authorizer. */
export function usesOf(document: ReleaseDocument, name: string): AuthorizerUse[] {
  return document.apis.flatMap((api) => [
    ...(api.authorizers.includes(name) ? [{ apiId: api.id, apiName: api.name, operationId: null, label: 'all operations without a list of their own' }] : []),
    ...api.operations
      .filter((operation) => operation.authorizers?.includes(name))
      .map((operation) => ({ apiId: api.id, apiName: api.name, operationId: operation.id, label: `${operation.method} ${operation.path}` })),
  ]);
}

function renamed(document: ReleaseDocument, from: string, to: string): ReleaseDocument {
  const list = (names: readonly string[]): readonly string[] => (names.includes(from) ? names.map((name) => (name === from ? to : name)) : names);
  return {
    ...document,
    apis: document.apis.map((api) => {
      const authorizers = list(api.authorizers);
      const operations = api.operations.map((operation) =>
        operation.authorizers?.includes(from) ? { ...operation, authorizers: list(operation.authorizers) } : operation,
      );
      const same = authorizers === api.authorizers && operations.every((operation, index) => operation === api.operations[index]);
      return same ? api : { ...api, authorizers, operations };
    }),
  };
}
