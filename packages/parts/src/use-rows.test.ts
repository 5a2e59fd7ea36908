import type { ClientUseView } from '@virga/protocol';
import { csvFormatRows, csvParseRows } from 'd3';
import { rowsOfUse } from './use-rows';

const use: ClientUseView = {
  from: 0,
  to: 7_200_000,
  sliceMs: 3_600_000,
  passed: 5,
  refused: 3,
  slices: [
    { at: 0, passed: 0, wouldRefuse: 0, refused: 0 },
    { at: 3_600_000, passed: 5, wouldRefuse: 2, refused: 3 },
  ],
  apis: [
    { apiId: 'a', apiName: 'Levels, "north"', passed: 5, refused: 2 },
    { apiId: null, apiName: 'no API', passed: 0, refused: 1 },
  ],
  reasons: [
    { code: 'limit.exceeded', title: 'Too many', step: 'limit', stepName: 'Limits', outcome: 'refused', count: 3 },
    { code: 'rights.scope-missing', title: 'Not enough', step: 'rights', stepName: 'Rights', outcome: 'would-refuse', count: 2 },
  ],
  untold: 0,
};

test('counts of a client as a file: every line has the columns that the first one names', () => {
  const rows = rowsOfUse(use);
  expect(rows).toEqual([
    ['of', 'what', 'passed', 'would-be-refused', 'refused'],
    ['time', '1970-01-01T01:00:00.000Z', '5', '2', '3'],
    ['api', 'Levels, "north"', '5', '', '2'],
    ['api', 'no API', '0', '', '1'],
    ['reason', 'limit.exceeded', '', '', '3'],
    ['reason', 'rights.scope-missing', '', '2', ''],
  ]);
  expect(csvParseRows(csvFormatRows(rows))).toEqual(rows);
});
