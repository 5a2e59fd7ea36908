import { Injectable } from '@nestjs/common';
import {
  bodyMembers,
  conditionScope,
  hasBody,
  describedParameters,
  joinMembers,
  joinParameters,
  type ApiRule,
  type BodyMember,
  type DescribedParameter,
  type OperationRule,
} from '@virga/core';
import type { ConditionScopeView, ConditionsPatch, ConditionSubject, ConditionsView } from '@virga/protocol';
import { fieldProblem } from '../../http/problems.js';
import { stepOutcomes } from '../../store/record-store.js';
import { Store } from '../../store/store.js';
import { tableColumns } from '../../store/table-store.js';
import type { EditedBy } from '../../session/edited-by.js';
import { ReferenceService } from '../reference/reference.service.js';
import { partOf, revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';

/** Operations that are looked up for one question. */
const MOST_READ = 20;
const PART = { kind: 'conditions' } as const;
const DAY_MS = 86_400_000;

/** Conditions that rules share: the draft's own, who calls them, and what conditions came to. */
@Injectable()
export class ConditionsService {
  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
    private readonly references: ReferenceService,
  ) {}

  async view(): Promise<ConditionsView> {
    const { conditions, apis } = this.draft.document;
    const outcomes = await stepOutcomes(this.store, 'condition', Math.floor((Date.now() - DAY_MS) / 60_000) * 60_000);
    const count = (outcome: string): number => outcomes.find((row) => row.outcome === outcome)?.count ?? 0;
    const uses = apis.flatMap((api) => [api.conditions, ...api.operations.map((operation) => operation.conditions ?? [])]);
    return {
      revision: revisionOf(partOf(this.draft.document, PART) ?? {}),
      conditions: conditions.map(({ name, description, source }) => ({ name, description, source })),
      users: conditions.map(({ name }) => ({ name, rules: uses.filter((list) => list.some((use) => use.kind === 'shared' && use.name === name)).length })),
      refused: count('refuse'),
      wouldRefuse: count('would-refuse'),
      tables: await tableColumns(),
    };
  }

  async scope({ apiId, operationIds }: ConditionSubject): Promise<ConditionScopeView> {
    const { document } = this.draft;
    const api = document.apis.find(({ id }) => id === apiId);
    if (!api) throw fieldProblem('/apiId', `There is no API ${apiId}`);
    const wanted = operationIds && new Set(operationIds);
    // What the API asks is asked of those that have no list of their own.
    const operations = api.operations.filter(({ id, conditions }) => (wanted ? wanted.has(id) : conditions === null));
    const { parameters, attributes, unshown = [] } = conditionScope(document, api, operations);
    return {
      parameters: [...(parameters ?? [])],
      attributes: [...(attributes ?? [])],
      tables: await tableColumns(),
      unshown: [...unshown],
      ...(await this.#named(api, operations)),
    };
  }

  /** What the contract names in the requests of some operations, as far as it can be read now. */
  async #named(api: ApiRule, operations: readonly OperationRule[]): Promise<Pick<ConditionScopeView, 'bodyMembers' | 'contractParameters'>> {
    const members: BodyMember[] = [];
    const parameters: DescribedParameter[] = [];
    // Of what was not looked up nobody can say that it is not there.
    let all = operations.length <= MOST_READ;
    for (const { id, method } of operations.slice(0, MOST_READ)) {
      const page = await this.references.operationOf(api, id).catch(() => null);
      all &&= page !== null;
      if (page === null) continue;
      if (hasBody(method)) members.push(...bodyMembers(page));
      parameters.push(...describedParameters(page));
    }
    return {
      bodyMembers: joinMembers(members).map(({ path, type, values = null, about }) => ({ path: [...path], type, values: values && [...values], about })),
      contractParameters: all ? joinParameters(parameters).map((one) => ({ ...one, values: one.values && [...one.values] })) : null,
    };
  }

  async change({ conditions }: ConditionsPatch, edited: EditedBy): Promise<ConditionsView> {
    await this.draft.change({ part: PART, ...edited }, (document) => ({
      ...document,
      ...(conditions === undefined ? {} : { conditions: conditions.map(({ name, description, source }) => ({ name, description, source })) }),
    }));
    return this.view();
  }
}
