import type { SensitiveRule } from '@virga/core';
import type { SensitiveRuleDto } from '@virga/protocol';

/** What was sent, without kinds that are looked for nowhere. */
export const sensitiveFrom = ({ uses, bodyBytes, largerBody }: SensitiveRuleDto): SensitiveRule => ({
  uses: uses
    .map(({ detector, request, answer }) => ({ detector, request: request ?? null, answer: answer ?? null }))
    .filter(({ request, answer }) => request !== null || answer !== null),
  bodyBytes,
  largerBody,
});

export const sensitiveView = ({ uses, bodyBytes, largerBody }: SensitiveRule): SensitiveRuleDto => ({
  uses: uses.map((use) => ({ ...use })),
  bodyBytes,
  largerBody,
});
