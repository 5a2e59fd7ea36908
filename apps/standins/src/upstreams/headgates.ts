import type { Server } from 'node:http';
import { jsonService, type Answer, type Call } from './json-service.js';

interface Gate {
  readonly gateId: string;
  readonly section: string;
  readonly name: string;
  opening: number;
  lockedOut: boolean;
  movedAt: string | null;
}

interface Position {
  readonly at: string;
  readonly opening: number;
  readonly reason: string;
}

const SECTIONS = ['north-1', 'north-2', 'south-1', 'west-3'];
const missing: Answer = { status: 404, body: { error: 'no such gate' } };

/** The Headgates upstream. A gate that was moved stays moved until the process ends. */
export function headgates(): Server {
  const gates = new Map<string, Gate>();
  const positions = new Map<string, Position[]>();
  const events: unknown[] = [];
  for (let number = 1; number <= 24; number++) {
    const gateId = `G-${number}`;
    gates.set(gateId, {
      gateId,
      section: SECTIONS[number % SECTIONS.length] ?? 'north-1',
      name: `Gate ${number}`,
      opening: (number * 7) % 60,
      lockedOut: false,
      movedAt: null,
    });
    positions.set(gateId, []);
  }
  const withGate =
    (handle: (gate: Gate, call: Call) => Answer) =>
    (call: Call): Answer => {
      const gate = gates.get(call.params['gateId'] ?? '');
      return gate ? handle(gate, call) : missing;
    };
  const move = (gate: Gate, call: Call): Answer => {
    const body = (call.body ?? {}) as { opening?: unknown; reason?: unknown };
    if (typeof body.opening !== 'number' || body.opening < 0 || body.opening > 100)
      return { status: 422, body: { error: 'opening is a number from 0 to 100' } };
    if (gate.lockedOut) return { status: 409, body: { error: 'the gate is locked out' } };
    const position = { at: new Date().toISOString(), opening: body.opening, reason: String(body.reason ?? '') };
    gate.opening = body.opening;
    gate.movedAt = position.at;
    positions.get(gate.gateId)?.unshift(position);
    return { status: 201, body: { ...position, gateId: gate.gateId } };
  };
  const lock =
    (lockedOut: boolean) =>
    (gate: Gate): Answer => {
      gate.lockedOut = lockedOut;
      return { status: 200, body: gate };
    };
  return jsonService([
    {
      method: 'GET',
      path: '/gates',
      handle: ({ query }) => ({
        status: 200,
        body: { items: [...gates.values()].filter((gate) => !query.get('section') || gate.section === query.get('section')) },
      }),
    },
    { method: 'GET', path: '/gates/{gateId}', handle: withGate((gate) => ({ status: 200, body: gate })) },
    { method: 'POST', path: '/gates/{gateId}/positions', handle: withGate(move) },
    {
      method: 'GET',
      path: '/gates/{gateId}/positions',
      handle: withGate((gate) => ({ status: 200, body: { items: positions.get(gate.gateId)?.slice(0, 100) } })),
    },
    { method: 'PUT', path: '/gates/{gateId}/lock-out', handle: withGate(lock(true)) },
    { method: 'DELETE', path: '/gates/{gateId}/lock-out', handle: withGate(lock(false)) },
    {
      method: 'GET',
      path: '/sections',
      handle: () => ({
        status: 200,
        body: { items: SECTIONS.map((section) => ({ section, gates: [...gates.values()].filter((gate) => gate.section === section).length })) },
      }),
    },
    {
      method: 'GET',
      path: '/sections/{section}/flow',
      handle: ({ params }) =>
        SECTIONS.includes(params['section'] ?? '')
          ? {
              status: 200,
              body: {
                section: params['section'],
                litresPerSecond: [...gates.values()].filter((gate) => gate.section === params['section']).reduce((sum, gate) => sum + gate.opening * 12, 0),
              },
            }
          : missing,
    },
    {
      method: 'POST',
      path: '/events',
      handle: ({ body }) => {
        events.push(body);
        return { status: 202, body: { kept: events.length } };
      },
    },
  ]);
}
