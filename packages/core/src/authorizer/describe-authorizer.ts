import type { AuthorizerRule } from '../document/authorizer-rule.js';

/** An authorizer in words, as a rule calls it. */
export function describeAuthorizer(name: string, known: readonly AuthorizerRule[]): string {
  const rule = known.find((one) => one.name === name);
  if (!rule) return name;
  const kind = rule.by.kind === 'script' ? `a script, within ${rule.by.timeMs} ms` : `asked at ${rule.by.url}, within ${rule.by.timeoutMs} ms`;
  return `${name} allows it: ${kind}${rule.cache === null ? '' : `; answers are kept for ${rule.cache.seconds} s`}`;
}
