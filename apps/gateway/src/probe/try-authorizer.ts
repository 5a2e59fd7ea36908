import { runCases, type Ports } from '@virga/core';
import type { TriedAuthorizer, TryAuthorizerAsk } from '@virga/protocol/node';

/** Asks an authorizer that need not be part of any document. @throws ConfigError for one that cannot be asked */
export async function tryAuthorizer({ rule, inputs }: TryAuthorizerAsk, ports: Ports): Promise<TriedAuthorizer[]> {
  const outcomes = await runCases(rule, inputs, ports);
  return outcomes.map(({ says, finding: { code, operands }, answer, tookMs }) => ({
    says,
    code,
    operands,
    headers: answer?.headers ?? {},
    covers: answer?.covers ?? [],
    seconds: answer?.seconds ?? null,
    tookMs: Math.round(tookMs * 100) / 100,
  }));
}
