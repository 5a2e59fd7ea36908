import { Injectable } from '@nestjs/common';
import { explain, type ReleaseDocument } from '@virga/core';
import type { CaseResults, CaseResultView } from '@virga/protocol';
import { NodeHub } from '../../nodes/node-hub.js';

/** What an overruled case is called by. */
export const caseName = ({ authorizer, name }: Pick<CaseResultView, 'authorizer' | 'name'>): string => `${authorizer}: ${name}`;

/** Runs the cases of authorizers. */
@Injectable()
export class CaseRunner {
  constructor(private readonly hub: NodeHub) {}

  /** Runs all cases of a document on a node. What could not be run does not hold. */
  async run(document: ReleaseDocument, overruled: readonly string[] = []): Promise<CaseResults> {
    const items: CaseResultView[] = [];
    for (const rule of document.authorizers) {
      if (rule.cases.length === 0) continue;
      let why = 'No node is connected that could run it.';
      const tried = await this.hub.tryAuthorizer({ rule, inputs: rule.cases.map(({ input }) => input) }).catch((error: Error) => {
        why = `It could not be run: ${error.message}`;
        return null;
      });
      rule.cases.forEach(({ name, expected }, index) => {
        const one = tried?.[index];
        const holds = one?.says === expected;
        const sentence = one ? (explain(one.code, one.operands)?.sentence ?? one.code) : why;
        items.push({
          authorizer: rule.name,
          name,
          expected,
          says: one?.says ?? null,
          sentence,
          holds,
          overruled: !holds && overruled.includes(caseName({ authorizer: rule.name, name })),
        });
      });
    }
    return { items };
  }
}
