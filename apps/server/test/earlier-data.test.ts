import type { ApiView, OperationView, PersonaView, ProviderView, PublishView, ReleaseView, RevocationView, StandingView } from '@virga/protocol';
import { cpSync, mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { RunningServer, until } from './harness.js';

/** Folders as earlier versions wrote them open, and everything in them is there and works on. */
describe.each([
  ['data-of-0.1.0', 1],
  ['data-before-clients', 1],
  ['data-before-addresses', 0],
  ['data-before-conditions', 0],
  ['data-before-authorizers', 0],
])('%s', (name, revocations) => {
  let server: RunningServer;

  beforeAll(async () => {
    const folder = mkdtempSync(join(tmpdir(), 'virga-earlier-'));
    cpSync(fileURLToPath(new URL(`fixtures/${name}`, import.meta.url)), folder, { recursive: true });
    server = new RunningServer(folder);
    expect(await server.start()).toBeNull();
  });
  afterAll(() => server.stop(), 30_000);

  const standing = () => server.ok<StandingView>('GET', '/standing');

  test('what was live is live, nothing is unpublished, and the draft has no problem', async () => {
    const found = await standing();
    expect(found).toMatchObject({ live: { number: 1 }, changeCount: 0, problems: [], storage: null, failing: [] });
    expect([found.apiCount, found.providerCount, found.personaCount]).toEqual([2, 3, 8]);
  });

  test('APIs, operations, providers, personas, revocations and secrets are read', async () => {
    const { items: apis } = await server.ok<{ items: ApiView[] }>('GET', '/apis');
    for (const { id, operationCount } of apis) {
      const api = await server.ok<ApiView>('GET', `/apis/${id}`);
      // Limits are new; what was written without them has the usual ones.
      expect(api.upstream.limits).toMatchObject({ connections: 128, sharePercent: 50 });
      // Upstreams are told of callers in the fields that they know.
      expect(api.upstream.callerFields).toBe('both');
      // What was enforced is enforced, and nobody got in who did not.
      expect(api.modes).toEqual({ all: 'enforce', checks: {} });
      expect(api.addresses).toEqual({ kind: 'anywhere' });
      expect(api.conditions).toEqual([]);
      expect((await server.ok<{ items: OperationView[] }>('GET', `/apis/${id}/operations`)).items).toHaveLength(operationCount);
    }
    const { items: providers } = await server.ok<{ items: ProviderView[] }>('GET', '/providers');
    expect(providers.some(({ source }) => source.kind === 'introspection' && source.secretSet)).toBe(true);
    expect((await server.ok<{ items: PersonaView[] }>('GET', '/personas')).items.filter(({ secret }) => secret === 'kept').length).toBeGreaterThan(2);
    expect((await server.ok<{ items: RevocationView[] }>('GET', '/revocations')).items).toHaveLength(revocations);
  });

  test('its node serves its release, and an edit, a publish and the way back work on', async () => {
    const called = async () => (await fetch(`${server.gatewayUrl}/headgates/gates`)).status;
    // Until its node serves the release, it says 503.
    await until(async () => (await called()) !== 503);
    expect(await called()).toBe(401);
    await until(async () => (await standing()).nodes[0]?.state === 'connected');
    const [api] = (await server.ok<{ items: ApiView[] }>('GET', '/apis')).items;
    await server.ok('PATCH', `/apis/${api?.id}`, { version: '9' });
    expect((await server.ok<PublishView>('POST', '/releases', {})).release.number).toBe(2);
    expect((await server.ok<PublishView>('POST', '/releases/1/roll-back', {})).release.number).toBe(3);
    expect((await server.ok<ReleaseView>('GET', '/releases/3')).rolledBackTo).toBe(1);
  });
});
