import { NO_CONTRACT } from '../document/contract-rule.js';
import type { SchemaFault } from '../schema/compile-schema.js';
import { wholeContract } from './check/contract-source.js';
import { operationContract } from './check/operation-contract.js';

/**
 * What of a description nothing can be held against: schemas that cannot be read, references that lead nowhere or outside,
 * patterns that cannot be matched in bounded time. Where it is enforced, whatever comes there is refused.
 */
export function contractFaults(
  document: Readonly<Record<string, unknown>>,
  version: '3.0' | '3.1',
  operations: readonly { readonly path: string; readonly method: string }[],
): readonly SchemaFault[] {
  const source = wholeContract(document, version);
  if (source.dialect === null) return [{ rule: '/jsonSchemaDialect', says: 'schemas of this dialect are not read, so nothing of the contract can be checked' }];
  const found = new Map<string, SchemaFault>();
  for (const { path, method } of operations) {
    for (const fault of operationContract(source, path, method, NO_CONTRACT)?.faults() ?? []) found.set(fault.rule, fault);
  }
  return [...found.values()];
}
