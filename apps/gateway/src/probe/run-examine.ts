import { examine } from '@virga/core';
import type { ExamineAsk, ExamineOutcome } from '@virga/protocol/node';
import type { LiveRelease } from '../live-release.js';
import { cleaningOf, cleanOperands, stepTraces } from '../records/build-trace.js';

/** Holds tokens against one operation of a release that need not be live. @throws Error when it has no such operation */
export async function runExamine(ask: ExamineAsk, { compiled: release, redactor }: LiveRelease, origin: string): Promise<ExamineOutcome[]> {
  const api = release.apis.find((item) => item.rule.id === ask.apiId);
  const operation = api?.operations.find((item) => item.rule.id === ask.operationId);
  if (!api || !operation) throw new Error('there is no such operation in this document');
  const outcomes: ExamineOutcome[] = [];
  // One after the other, so that a proof used twice is found out.
  for (const credential of ask.credentials) {
    const { basePath } = api.rule;
    const found = await examine(release, { credential, operation, basePath, headers: ask.headers, origin, certificate: ask.certificate, key: ask.key });
    const seen = cleaningOf(found.exchange, redactor);
    const cleaning = { redactor, credentials: [credential, ...(ask.key === null ? [] : [ask.key]), ...seen.credentials] };
    outcomes.push({
      code: found.verdict.code,
      operands: cleanOperands(found.verdict.operands, cleaning),
      steps: stepTraces(found.exchange, cleaning),
      checks: found.checks.map(({ id, step, finding, decides }) => ({
        id,
        step,
        code: finding.code,
        operands: cleanOperands(finding.operands, cleaning),
        decides,
      })),
      principal: found.token?.principal ?? null,
    });
  }
  return outcomes;
}
