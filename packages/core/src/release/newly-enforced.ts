import { MODED_CHECKS, modeOf, type ModedCheck } from '../document/modes.js';
import type { ReleaseDocument } from '../document/release-document.js';

/** A check of an operation that only observed, and would refuse. */
export interface NewlyEnforced {
  readonly apiId: string;
  readonly operationId: string;
  readonly check: ModedCheck;
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
      return MODED_CHECKS.filter((check) => modeOf(old, check) === 'observe' && modeOf(fresh, check) === 'enforce').map((check) => ({
        apiId: api.id,
        operationId: operation.id,
        check,
      }));
    });
  });
}
