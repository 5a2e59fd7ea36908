import type { CountingRule } from '../document/limit-rule.js';
import type { Standing } from '../limit/counters.js';
import type { CompiledLimit } from '../limit/compile-plan.js';
import { mostOf } from './limit-steps.js';
import type { Exchange } from './exchange.js';

const NO_FIELDS: readonly string[] = Object.freeze([]);

/**
 * What callers are told of limits that refuse: `RateLimit-Policy` and `RateLimit`, lists of Structured Fields (RFC 9651), one
 * item for each limit with the quota `q`, the window `w` in seconds, what remains `r` and the time `t` in seconds (the IETF draft
 * "RateLimit header fields for HTTP", from memory). Limits that only observe are nobody's business but the operator's.
 * @returns names and values in turn
 */
export function rateFields({ counted }: Exchange, tell: CountingRule['tell'], refused: boolean): readonly string[] {
  if (counted === null || (!refused && tell === 'refusals')) return NO_FIELDS;
  const policies: string[] = [];
  const states: string[] = [];
  counted.demands.forEach(({ mode, measure }, index) => {
    if (mode !== 'enforce') return;
    const { name, windowSeconds } = counted.limits[index] as CompiledLimit;
    const { left, waitMs, resetMs } = counted.counted.standings[index] as Standing;
    const said = `"${name.replace(/[^\x20\x21\x23-\x5b\x5d-\x7e]/g, '?')}"`;
    policies.push(`${said};q=${mostOf(measure)}${windowSeconds === null ? '' : `;w=${windowSeconds}`}`);
    const seconds = left > 0 ? resetMs : waitMs;
    states.push(`${said};r=${left}${seconds === null ? '' : `;t=${Math.ceil(seconds / 1000)}`}`);
  });
  return policies.length === 0 ? NO_FIELDS : ['ratelimit-policy', policies.join(', '), 'ratelimit', states.join(', ')];
}
