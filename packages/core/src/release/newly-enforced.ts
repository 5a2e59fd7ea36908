import { MODED_CHECKS, modeOf, type ModedCheck } from '../document/modes.js';
import { CONTRACT_PARTS, contractInForce, type ContractMode, type ContractPart } from '../document/contract-rule.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';

/** A check of an operation that only observed, and would refuse. */
export interface NewlyEnforced {
  readonly apiId: string;
  readonly operationId: string;
  readonly check: ModedCheck | ContractPart;
}

/** Checks that observe by one release and refuse by another. */
export function newlyEnforced(before: ReleaseDocument, after: ReleaseDocument): readonly NewlyEnforced[] {
  const known = new Map(before.apis.map((api) => [api.id, { api, operations: new Map(api.operations.map((operation) => [operation.id, operation])) }]));
  return after.apis.flatMap((api) => {
    const was = known.get(api.id);
    return api.operations.flatMap((operation) => {
      const earlier = was?.operations.get(operation.id);
      if (!was || !earlier) return [];
      const [old, fresh] = [earlier.modes ?? was.api.modes, operation.modes ?? api.modes];
      const [said, says] = [contractModes(was.api, earlier), contractModes(api, operation)];
      const begins = [
        ...MODED_CHECKS.filter((check) => modeOf(old, check) === 'observe' && modeOf(fresh, check) === 'enforce'),
        ...CONTRACT_PARTS.filter((part) => said[part] === 'observe' && says[part] === 'enforce'),
      ];
      return begins.map((check) => ({
        apiId: api.id,
        operationId: operation.id,
        check,
      }));
    });
  });
}

/** Modes of the parts of a contract as they act: where everything only observes, so do they. */
function contractModes(api: ApiRule, operation: OperationRule): Readonly<Record<ContractPart, ContractMode>> {
  const { parts } = contractInForce(api.contract, operation.contract);
  if ((operation.modes ?? api.modes).all === 'enforce') return parts;
  return Object.fromEntries(CONTRACT_PARTS.map((part) => [part, parts[part] === 'enforce' ? 'observe' : parts[part]])) as Record<ContractPart, ContractMode>;
}
