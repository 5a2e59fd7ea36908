import type { ReachCell } from '@virga/core';
import type { TableAnswer } from '../../workers/suppose-messages';
import { csvRows, markOf, wordsOf } from './cells';

const cell = (change: Partial<ReachCell>): ReachCell => ({
  kind: 'allowed',
  step: 'rights',
  code: 'rights.sufficient',
  hangsOn: [],
  wouldRefuse: false,
  ...change,
});

describe('a cell of reach', () => {
  it.each<[string, ReachCell | null, string, string]>([
    ['let in', cell({}), 'passed', 'allowed'],
    ['open to anybody', cell({ step: 'credential', code: 'credential.not-asked' }), 'passed', 'allowed: anybody is'],
    ['only observed', cell({ wouldRefuse: true }), 'would-refuse', 'allowed, though a check that only observes would refuse'],
    ['on a condition', cell({ kind: 'conditional', hangsOn: ['the hour', 'the address'] }), 'unknown', 'hangs on the hour, the address'],
    ['refused', cell({ kind: 'refused', step: 'credential', code: 'credential.missing' }), 'refused', 'refused at Credential: a credential is needed'],
    ['not there', null, 'skipped', 'no such operation'],
  ])('that is %s has a mark and words of its own', (_name, of, mark, words) => {
    expect([markOf(of), wordsOf(of)]).toEqual([mark, words]);
  });
});

describe('a table of reach as CSV', () => {
  const table: TableAnswer = {
    operations: [
      { apiId: 'a', apiName: 'Gates', operationId: 'GET /a', method: 'GET', path: '/a' },
      { apiId: 'a', apiName: 'Gates', operationId: 'GET /b', method: 'GET', path: '/b' },
    ],
    callers: [
      { id: 'nobody', kind: 'nobody', name: 'nobody', note: '' },
      { id: 'client c', kind: 'client', name: 'Loggers', note: '' },
    ],
    after: [[cell({ kind: 'refused' }), cell({ kind: 'conditional', hangsOn: ['the hour', 'the address'] })], null],
    before: [null, [cell({}), cell({})]],
    clientsLeftOut: 0,
    tookMs: 1,
  };

  it('has a line for each cell that is shown', () => {
    const rows = csvRows(table, { operations: [0, 1], callers: [0, 1] }, true);
    expect(rows[0]).toEqual(['api', 'method', 'path', 'caller kind', 'caller', 'reach', 'step', 'code', 'hangs on', 'before', 'hung on before']);
    expect(rows[1]).toEqual(['Gates', 'GET', '/a', 'nobody', 'nobody', 'refused', 'rights', 'rights.sufficient', '', 'absent', '']);
    expect(rows[2]).toEqual(['Gates', 'GET', '/a', 'client', 'Loggers', 'conditional', 'rights', 'rights.sufficient', 'the hour; the address', 'absent', '']);
    expect(rows[4]?.slice(5)).toEqual(['absent', '', '', '', 'allowed', '']);
    expect(csvRows(table, { operations: [1], callers: [] }, false)).toHaveLength(1);
  });
});
