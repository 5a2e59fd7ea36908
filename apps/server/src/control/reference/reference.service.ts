import { Injectable } from '@nestjs/common';
import { describeAccess, operationKey, type ApiRule, type ReferenceIndex, type ReferenceOperation } from '@virga/core';
import type { ReferenceOperationView, ReferenceView } from '@virga/protocol';
import { notFound, problem } from '../../http/problems.js';
import { Turns } from '../../http/turns.js';
import { NodeHub } from '../../nodes/node-hub.js';
import { ApisService } from '../apis/apis.service.js';
import type { ReferenceAnswers } from '../contract/contract-question.js';
import { ContractService } from '../contract/contract.service.js';

/** Pages that are kept, so that a text that many read is read once. */
const KEPT = 1000;
/** How many read at one time, and wait: pages that anybody may ask for leave room for who edits contracts. */
const [AT_ONCE, WAITING] = [1, 64];

/** Pages about an API for those who call it, made from its contract. */
@Injectable()
export class ReferenceService {
  readonly #indexes = new Kept<ReferenceIndex>();
  readonly #operations = new Kept<ReferenceOperation | null>();
  readonly #turns = new Turns(AT_ONCE, WAITING);

  constructor(
    private readonly apis: ApisService,
    private readonly contracts: ContractService,
    private readonly hub: NodeHub,
  ) {}

  /** Of the draft. */
  view(id: string): Promise<ReferenceView> {
    return this.of(this.apis.find(id));
  }

  /** Of the draft. */
  operation(id: string, operationId: string): Promise<ReferenceOperationView> {
    return this.operationOf(this.apis.find(id), operationId);
  }

  /** What an API of any document offers, those operations that are left out of pages included and marked. */
  async of(api: ApiRule): Promise<ReferenceView> {
    const index = await this.#index(api);
    const known = new Map(api.operations.map((operation) => [operationKey(operation), operation]));
    const gateway = this.hub.connected.find(({ status }) => status !== null)?.status?.gatewayUrl ?? '';
    return {
      title: index.title,
      version: index.version,
      description: index.description,
      address: gateway === '' ? '' : gateway + api.basePath,
      groups: index.groups.map(({ name, description, operations }) => ({
        name,
        description,
        operations: operations.flatMap((one) => {
          const own = known.get(operationKey(one));
          return own ? [{ ...one, operationId: own.id, hidden: own.hidden }] : [];
        }),
      })),
    };
  }

  async operationOf(api: ApiRule, operationId: string): Promise<ReferenceOperationView> {
    const own = api.operations.find((one) => one.id === operationId);
    if (!own) throw notFound('operation');
    const { method, path } = own;
    const found = await this.#operations.take(`${api.contractHash ?? ''} ${method} ${path}`, () => this.#ask<'operation'>(api, { method, path }));
    if (!found) throw notFound('operation of the contract');
    const { attempt, ...rest } = structuredClone(found) as unknown as Omit<ReferenceOperationView, 'who' | 'hidden'>;
    return {
      ...rest,
      hidden: own.hidden,
      who: describeAccess(own.access ?? api.access, api.schemes),
      attempt: { ...attempt, target: api.basePath + attempt.target },
    };
  }

  #index(api: ApiRule): Promise<ReferenceIndex> {
    return this.#indexes.take(api.contractHash ?? '', () => this.#ask<'index'>(api, null));
  }

  async #ask<K extends keyof ReferenceAnswers>(
    api: ApiRule,
    operation: { readonly method: string; readonly path: string } | null,
  ): Promise<ReferenceAnswers[K]> {
    const text = await this.#textOf(api);
    const done = await this.#turns.take();
    if (!done) throw problem(503, 'Too many pages are read for the first time', 'Try again in a moment.');
    try {
      return await this.contracts.ask<ReferenceAnswers[K]>({ kind: 'reference', text, operation });
    } finally {
      done();
    }
  }

  async #textOf({ contractHash }: ApiRule): Promise<string> {
    const row = contractHash === null ? null : await this.contracts.find(contractHash);
    if (!row) throw notFound('contract');
    return row.text;
  }
}

/** Answers by what they were made of, those asked for last. What failed is asked anew. */
class Kept<T> {
  readonly #made = new Map<string, Promise<T>>();

  take(key: string, make: () => Promise<T>): Promise<T> {
    const known = this.#made.get(key);
    this.#made.delete(key);
    const answer = known ?? make();
    this.#made.set(key, answer);
    if (!known) answer.catch(() => (this.#made.get(key) === answer ? this.#made.delete(key) : undefined));
    for (const oldest of this.#made.keys()) {
      if (this.#made.size <= KEPT) break;
      this.#made.delete(oldest);
    }
    return answer;
  }
}
