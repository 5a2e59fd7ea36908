import type { Server } from 'node:http';
import { jsonService, type Answer } from './json-service.js';

interface Right {
  readonly rightId: string;
  readonly section: string;
  readonly holder: string;
  readonly cubicMetres: number;
}

const RIGHTS: readonly Right[] = [
  { rightId: 'R-7', section: 'north-1', holder: 'grower.217', cubicMetres: 12_000 },
  { rightId: 'R-11', section: 'south-1', holder: 'grower.217', cubicMetres: 4500 },
  { rightId: 'R-19', section: 'west-3', holder: 'grower.404', cubicMetres: 30_000 },
];
const missing: Answer = { status: 404 };

/** The Allotments upstream. Its statements say more than their contract: account numbers. */
export function allotments(): Server {
  const left = new Map(RIGHTS.map(({ rightId, cubicMetres }) => [rightId, cubicMetres]));
  let transfers = 0;
  const balance = (rightId: string, status: number): Answer => ({ status, body: { rightId, left: { '2026': left.get(rightId) } } });
  const withRight =
    (handle: (right: Right, query: URLSearchParams) => Answer) =>
    ({ params, query }: { readonly params: Readonly<Record<string, string>>; readonly query: URLSearchParams }): Answer => {
      const right = RIGHTS.find(({ rightId }) => rightId === params['rightId']);
      return right ? handle(right, query) : missing;
    };
  return jsonService([
    { method: 'GET', path: '/rights', handle: () => ({ status: 200, body: { items: RIGHTS } }) },
    { method: 'GET', path: '/rights/{rightId}/balance', handle: withRight(({ rightId }) => balance(rightId, 200)) },
    {
      method: 'GET',
      path: '/rights/{rightId}/statements',
      handle: withRight(({ rightId, cubicMetres }) => ({
        status: 200,
        body: {
          items: [5, 4].map((month) => ({
            statementId: `${rightId}-2026-${month}`,
            on: `2026-0${month}-01`,
            owed: Math.round(cubicMetres * 0.02 * 100) / 100,
            account: 'GB82WEST12345698765432',
          })),
        },
      })),
    },
    {
      method: 'POST',
      path: '/rights/{rightId}/trades',
      handle: withRight(({ rightId }, query) => {
        left.set(rightId, Math.max(0, (left.get(rightId) ?? 0) - Number(query.get('cubicMetres'))));
        return balance(rightId, 201);
      }),
    },
    {
      method: 'POST',
      path: '/transfers',
      // It takes whatever comes, and stumbles over what it does not understand.
      handle: ({ body }) => {
        const { rightId } = body as { readonly rightId: string };
        const right = RIGHTS.find((one) => one.rightId === rightId);
        if (!right) return { status: 409 };
        const transferId = `T-${++transfers}`;
        return { status: 202, headers: { 'x-transfer': transferId }, body: { transferId, state: 'waiting' } };
      },
    },
  ]);
}
