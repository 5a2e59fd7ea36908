import { callOf, type CallQuestion } from '../reach/ask-call.js';
import { hangsOn } from '../reach/let-through.js';
import type { Supposition } from '../suppose/supposition.js';
import { explain } from '../verdict/explain.js';
import { nameOf } from './operation-name.js';
import type { TrialOutcome } from './trial.js';

/** Characters of a body that is kept with a saved request. */
export const MAX_TRIAL_BODY = 16_384;

/** A request that was saved, and what must come of it. Holds no credential, only what was said by one. */
export interface SavedTrial {
  readonly id: string;
  readonly name: string;
  readonly expected: 'refused' | 'passed';
  readonly call: Omit<CallQuestion, 'atMs'>;
  /** When it comes, milliseconds since the epoch; null for whenever it is tried. */
  readonly atMs: number | null;
}

/** Decides a saved request by a release. */
export async function runSavedTrial(supposition: Supposition, { name, expected, call: saved, atMs }: SavedTrial, nowMs: number): Promise<TrialOutcome> {
  const question = { ...saved, atMs: atMs ?? nowMs };
  const named = { name: `saved: ${name}`, apiId: '', operationId: '', apiName: '', method: saved.method, path: saved.target, tried: name, expected };
  const call = await callOf(supposition, question);
  if (call === null) {
    const sentence = 'No operation answers to this method and path any more.';
    return { ...named, result: expected === 'refused' ? 'holds' : 'fails', step: 'route', code: 'route.no-operation', sentence };
  }
  const outcome = await supposition.decide(call);
  const { exchange, verdict } = outcome;
  const refused = verdict.kind === 'answer';
  const { name: _own, ...of } = nameOf(call.operation, name);
  const open = !refused && hangsOn(outcome).length > 0;
  const { code, operands } = verdict.finding;
  return {
    ...named,
    ...of,
    result: open
      ? 'not-known'
      : refused === (expected === 'refused')
        ? 'holds'
        : exchange.wouldRefuse !== null && expected === 'refused'
          ? 'observed'
          : 'fails',
    step: exchange.steps[exchange.steps.length - 1]?.step ?? 'route',
    code,
    sentence: refused ? (explain(code, operands)?.sentence ?? code) : 'It was let in.',
  };
}
