import type { ReleaseDocument } from '../document/release-document.js';
import { NOTHING_KNOWN } from '../suppose/supposed-caller.js';
import { pathOf } from '../suppose/supposed-request.js';
import { Supposition } from '../suppose/supposition.js';
import { openAttacks } from './attacks.js';
import { nameOf } from './operation-name.js';

/** An attack that needs no genuine credential, as it is sent over HTTP. */
export interface SentAttack {
  readonly name: string;
  readonly method: string;
  /** The request target, as it is to stand in the request line. */
  readonly target: string;
  /** Names in lower case. */
  readonly headers: Readonly<Record<string, string>>;
}

/**
 * Attacks without a genuine credential on every guarded operation of a release, as requests: each must be refused by a gateway that
 * serves it. Those that the release itself lets in, or leads to another operation, are left out: what the decision does is for
 * the other trials to say.
 * @throws ConfigError for a release that cannot be used
 */
export async function sentAttacks(document: ReleaseDocument, nowMs: number): Promise<SentAttack[]> {
  const unknown = { hour: false, address: false, request: false, authorizers: 'all' } as const;
  const supposition = new Supposition(document, { facts: NOTHING_KNOWN, unknown, keys: null, authorizers: null });
  const { release } = supposition;
  const sent: SentAttack[] = [];
  for (const operation of release.apis.flatMap((api) => api.operations))
    for (const { title, call } of openAttacks({ release, operation, guard: operation, nowMs, ruled: document })) {
      const outcome = await supposition.decide(call);
      if (outcome.verdict.kind === 'forward') continue;
      const { sentAs, headers } = call.request;
      const pasted = call.credentials.some(({ kind }) => kind === 'pasted');
      sent.push({
        name: nameOf(operation, title).name,
        method: sentAs?.method ?? operation.rule.method,
        target: sentAs?.path ?? pathOf(operation, {}),
        headers: { ...headers, ...(pasted ? { authorization: 'Bearer not-a-credential' } : {}) },
      });
    }
  return sent;
}
