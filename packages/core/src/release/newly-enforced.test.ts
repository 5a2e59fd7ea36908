import { apiRule, operation, releaseOf } from '../../test/support.js';
import { ENFORCED, type ModeRule } from '../document/modes.js';
import { newlyEnforced } from './newly-enforced.js';

const OBSERVED: ModeRule = { all: 'observe', checks: {} };
const release = (api: ModeRule, own: ModeRule | null = null) =>
  releaseOf(
    [],
    apiRule({ access: { kind: 'public', origin: 'hand' }, modes: api, operations: [{ ...operation('GET', '/a'), modes: own }, operation('GET', '/b')] }),
  );
const words = (...given: Parameters<typeof newlyEnforced>): string[] => newlyEnforced(...given).map(({ operationId, check }) => `${operationId} ${check}`);

describe('checks that begin to refuse', () => {
  it('are those that observed by the release before, check by check and operation by operation', () => {
    expect(words(release(OBSERVED), release({ all: 'observe', checks: { rights: 'enforce' } }))).toEqual(['GET /a rights', 'GET /b rights']);
    expect(words(release(OBSERVED, ENFORCED), release({ all: 'observe', checks: { rights: 'enforce' } }, ENFORCED))).toEqual(['GET /b rights']);
    expect(words(release(OBSERVED), release(OBSERVED, { all: 'observe', checks: { token: 'enforce' } }))).toEqual(['GET /a token']);
  });

  it('are none where nothing changed, where less refuses, or where nothing was before', () => {
    expect(words(release(ENFORCED), release(ENFORCED))).toEqual([]);
    expect(words(release(ENFORCED), release(OBSERVED))).toEqual([]);
    expect(words(releaseOf([]), release(ENFORCED))).toEqual([]);
    expect(words(release(OBSERVED), releaseOf([]))).toEqual([]);
  });
});
