import type { Server } from 'node:http';
import { jsonService } from './json-service.js';

interface Reading {
  readonly meterId: string;
  readonly at: string;
  readonly cubicMetres: number;
}

const METERS = ['M-100', 'M-101', 'M-102', 'M-217'];
const PER_DAY_MS = 86_400_000;

/** The Meter readings upstream. It talks too much about itself, which is trouble for the product to find. */
export function meterReadings(address: string): Server {
  const readings: Reading[] = METERS.flatMap((meterId, index) =>
    Array.from({ length: 48 }, (_, hour) => ({ meterId, at: new Date(Date.UTC(2026, 5, 1, hour)).toISOString(), cubicMetres: 40 + index * 3 + (hour % 12) })),
  );
  const of = (meterId: string, query: URLSearchParams): Reading[] => {
    const from = Date.parse(query.get('from') ?? '') || 0;
    const to = Date.parse(query.get('to') ?? '') || Infinity;
    return readings.filter((reading) => reading.meterId === meterId && Date.parse(reading.at) >= from && Date.parse(reading.at) < to);
  };
  return jsonService(
    [
      {
        method: 'POST',
        path: '/readings',
        handle: ({ body }) => {
          const batch = (body as { readings?: unknown } | undefined)?.readings;
          if (!Array.isArray(batch)) return { status: 422, body: { error: 'readings is an array' } };
          for (const item of batch as Reading[]) if (typeof item?.meterId === 'string' && typeof item.cubicMetres === 'number') readings.push(item);
          if (readings.length > 50_000) readings.splice(0, readings.length - 50_000);
          return { status: 202, body: { taken: batch.length }, headers: { location: `${address}/meters` } };
        },
      },
      {
        method: 'GET',
        path: '/meters',
        handle: () => ({
          status: 200,
          body: {
            items: METERS.map((meterId) => ({ meterId, keeper: `${meterId.toLowerCase()}@velmora.example`, self: `${address}/meters/${meterId}/readings` })),
          },
        }),
      },
      {
        method: 'GET',
        path: '/meters/{meterId}/readings',
        handle: ({ params, query }) => ({ status: 200, body: { items: of(params['meterId'] ?? '', query).slice(-1000) } }),
      },
      {
        method: 'GET',
        path: '/meters/{meterId}/daily-volumes',
        handle: ({ params, query }) => {
          const days = new Map<number, number>();
          for (const reading of of(params['meterId'] ?? '', query))
            days.set(Math.floor(Date.parse(reading.at) / PER_DAY_MS), (days.get(Math.floor(Date.parse(reading.at) / PER_DAY_MS)) ?? 0) + reading.cubicMetres);
          return {
            status: 200,
            body: { items: [...days].map(([day, cubicMetres]) => ({ day: new Date(day * PER_DAY_MS).toISOString().slice(0, 10), cubicMetres })) },
          };
        },
      },
      {
        method: 'GET',
        path: '/basin-volumes',
        handle: () => ({ status: 200, body: { cubicMetres: Math.round(readings.reduce((sum, reading) => sum + reading.cubicMetres, 0)) } }),
      },
      {
        method: 'GET',
        path: '/meters/{meterId}/bill',
        handle: ({ params, query }) => {
          const cubicMetres = of(params['meterId'] ?? '', query).reduce((sum, reading) => sum + reading.cubicMetres, 0);
          return { status: 200, body: { meterId: params['meterId'], cubicMetres, owed: Math.round(cubicMetres * 0.31 * 100) / 100 } };
        },
      },
      {
        method: 'GET',
        path: '/v0/export',
        handle: () => ({
          status: 200,
          body: { readings: readings.slice(0, 40), keepers: METERS.map((meterId) => `${meterId.toLowerCase()}@velmora.example`) },
        }),
      },
      {
        method: 'GET',
        path: '/v0/meters/{meterId}/raw',
        handle: ({ params, query }) => {
          const limit = Math.min(100, Number(query.get('limit') ?? 20) || 20);
          const rows = of(params['meterId'] ?? '', query).slice(-limit);
          return {
            status: 200,
            body: {
              meterId: params['meterId'],
              rows: rows.map(({ at, cubicMetres }, index) => ({ at, pulses: Math.round(cubicMetres * 1000), faulty: index % 7 === 6 })),
            },
          };
        },
      },
    ],
    { server: 'basin-appliance/2.3', 'x-powered-by': 'basin-runtime 8.1' },
  );
}
