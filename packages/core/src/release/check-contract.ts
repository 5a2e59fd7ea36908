import { CONTRACT_BODY_BYTES, looksAtContract, type ContractRule } from '../document/contract-rule.js';
import { MOST_UNMATCHED, type UnmatchedRule } from '../document/unmatched-rule.js';
import { fail, unique, within } from './check-values.js';

/** Checks what of a contract is held against messages. @param described whether the API has a contract @throws ConfigError */
export function checkContract(rule: ContractRule, described: boolean, at: string): void {
  within(rule.bodyBytes, ...CONTRACT_BODY_BYTES, `${at}/bodyBytes`);
  if (looksAtContract(rule) && !described) fail(`${at}/parts`, 'this API has no contract that could be held against anything');
}

/** Checks what becomes of paths that no operation matches. @throws ConfigError */
export function checkUnmatched(rules: readonly UnmatchedRule[], at: string): void {
  if (rules.length > MOST_UNMATCHED) fail(at, `at most ${MOST_UNMATCHED} prefixes are told apart`);
  rules.forEach(({ prefix }, index) => {
    if (prefix !== '/' && !/^(?:\/[A-Za-z0-9_~!$&'()*+,=:@.-]+)+$/.test(prefix))
      fail(`${at}/${index}/prefix`, 'a prefix begins with a slash and does not end with one; / alone is every path');
    if (/\/\.\.?(?:\/|$)/.test(prefix)) fail(`${at}/${index}/prefix`, 'a prefix has no dot segments');
  });
  unique(
    rules.map(({ prefix }) => prefix),
    (index) => `${at}/${index}/prefix`,
    'two rules are about the same prefix',
  );
}
