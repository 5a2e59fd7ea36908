import { CONTRACT_BODY_BYTES, looksAtContract, type ContractRule } from '../document/contract-rule.js';
import { fail, within } from './check-values.js';

/** Checks what of a contract is held against messages. @param described whether the API has a contract @throws ConfigError */
export function checkContract(rule: ContractRule, described: boolean, at: string): void {
  within(rule.bodyBytes, ...CONTRACT_BODY_BYTES, `${at}/bodyBytes`);
  if (looksAtContract(rule) && !described) fail(`${at}/parts`, 'this API has no contract that could be held against anything');
}
