import { Injectable } from '@nestjs/common';
import { describeAccess, operationKey, type ApiRule } from '@virga/core';
import type { ReferenceOperationView, ReferenceView } from '@virga/protocol';
import { notFound } from '../../http/problems.js';
import { NodeHub } from '../../nodes/node-hub.js';
import { ApisService } from '../apis/apis.service.js';
import type { ReferenceAnswers } from '../contract/contract-question.js';
import { ContractService } from '../contract/contract.service.js';

/** Pages about an API for those who call it, made from its contract. */
@Injectable()
export class ReferenceService {
  constructor(
    private readonly apis: ApisService,
    private readonly contracts: ContractService,
    private readonly hub: NodeHub,
  ) {}

  async view(id: string): Promise<ReferenceView> {
    const api = this.apis.find(id);
    const index = await this.contracts.ask<ReferenceAnswers['index']>({ kind: 'reference', text: await this.#textOf(api), operation: null });
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

  async operation(id: string, operationId: string): Promise<ReferenceOperationView> {
    const api = this.apis.find(id);
    const own = api.operations.find((one) => one.id === operationId);
    if (!own) throw notFound('operation');
    const { method, path } = own;
    const found = await this.contracts.ask<ReferenceAnswers['operation']>({ kind: 'reference', text: await this.#textOf(api), operation: { method, path } });
    if (!found) throw notFound('operation of the contract');
    const { attempt, ...rest } = structuredClone(found) as unknown as Omit<ReferenceOperationView, 'who' | 'hidden'>;
    return {
      ...rest,
      hidden: own.hidden,
      who: describeAccess(own.access ?? api.access, api.schemes),
      attempt: { ...attempt, target: api.basePath + attempt.target },
    };
  }

  async #textOf({ contractHash }: ApiRule): Promise<string> {
    const row = contractHash === null ? null : await this.contracts.find(contractHash);
    if (!row) throw notFound('contract');
    return row.text;
  }
}
