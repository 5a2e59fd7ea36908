import type { InventoryItem } from '@virga/protocol';
import { layOutPaths, ROW } from './path-tree';

const item = (method: string, path: string): InventoryItem => ({
  ...{ apiId: 'a', apiName: 'A', apiVersion: '1', kind: 'seen', key: `${method} ${path}`, method, path, basePath: '', summary: '' },
  ...{ requests: 1, errors: 0, refused: 0, callers: 1, firstAt: 1, lastAt: 1, credentials: [], required: '', published: 'live', dismissed: false },
});

describe('the tree of paths', () => {
  const pieces = layOutPaths([
    item('POST', '/gates/{gateId}/positions'),
    item('GET', '/gates'),
    item('GET', '/gates/{gateId}/positions'),
    item('GET', '/v0/export'),
    item('DELETE', '/gates'),
  ]);

  it('writes what paths have in common once, and what nothing branches off from in one piece', () => {
    expect(pieces.filter(({ item: own }) => own === null).map(({ text }) => text)).toEqual(['/gates', '/{gateId}/positions', '/v0/export']);
  });

  it('gives every operation a row of its own, in the order of paths and methods', () => {
    const rows = pieces.flatMap(({ item: own, y }) => (own ? [[(y - ROW / 2) / ROW, `${own.method} ${own.path}`]] : []));
    expect(rows).toEqual([
      [0, 'DELETE /gates'],
      [1, 'GET /gates'],
      [2, 'GET /gates/{gateId}/positions'],
      [3, 'POST /gates/{gateId}/positions'],
      [4, 'GET /v0/export'],
    ]);
    expect(new Set(pieces.map(({ key }) => key)).size).toBe(pieces.length);
  });

  it('grows to the right, from where a piece ends', () => {
    const [gates, positions] = ['/gates', '/{gateId}/positions'].map((text) => pieces.find((piece) => piece.text === text));
    expect(positions?.x).toBeGreaterThan(gates?.end ?? Infinity);
    expect(positions?.items).toHaveLength(2);
    expect(gates?.items).toHaveLength(4);
  });

  it('of nothing is nothing, and the root has a row', () => {
    expect(layOutPaths([])).toEqual([]);
    expect(layOutPaths([item('GET', '/')]).filter(({ item: own }) => own)).toHaveLength(1);
  });
});
