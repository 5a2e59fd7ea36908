import { Injectable } from '@nestjs/common';
import { describeFallLine, type DescribedCheck } from '@virga/core';
import type { OperationCheckView, OperationPage } from '@virga/protocol';
import { notFound } from '../../http/problems.js';
import { operationSteps, type OperationSteps } from '../../store/record-store.js';
import { Store } from '../../store/store.js';
import { compileForWords } from '../releases/compile-draft.js';
import { DraftService } from '../releases/draft.service.js';
import { ApisService } from './apis.service.js';

const DAY_MS = 86_400_000;

/** One operation with its whole fall line: what each check asks, its mode, where it was set, and what came of it. */
@Injectable()
export class OperationPageService {
  constructor(
    private readonly store: Store,
    private readonly apis: ApisService,
    private readonly draft: DraftService,
  ) {}

  async view(apiId: string, operationId: string): Promise<OperationPage> {
    const api = this.apis.find(apiId);
    const operation = (await this.apis.operations(apiId)).find(({ id }) => id === operationId);
    if (!operation) throw notFound('operation');
    const steps = await operationSteps(this.store, apiId, operationId, Math.floor((Date.now() - DAY_MS) / 60_000) * 60_000);
    const release = compileForWords({ ...this.draft.document, apis: [api] });
    const compiled = release.apis[0]?.operations.find(({ rule }) => rule.id === operationId);
    const described = compiled ? describeFallLine(compiled, release) : [];
    const { name: apiName, basePath } = api;
    return {
      operation,
      apiId,
      apiName,
      basePath,
      checks: described.map((check, index) => checkView(check, described.findIndex(({ step }) => step === check.step) === index ? steps : [])),
    };
  }
}

/** @param steps counts of the last day; of several steps of one kind they are known together only, and stand at the first */
function checkView({ step, name, asks, mode, modeSetAt, setAt, part }: DescribedCheck, steps: readonly OperationSteps[]): OperationCheckView {
  const count = (outcome: OperationSteps['outcome']): number =>
    steps.filter((row) => row.step === step && row.outcome === outcome).reduce((sum, row) => sum + row.count, 0);
  return { step, name, asks, mode, modeSetAt, setAt, part, passed: count('pass'), refused: count('refuse'), wouldRefuse: count('would-refuse') };
}
