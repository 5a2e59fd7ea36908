import { decodeJwt, decodeProtectedHeader } from 'jose';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { askToken, startStandins, type Standins } from './harness.js';

/** The stand-ins are what the product is tried against, so they must behave as the standards say. */
let standins: Standins;
beforeAll(async () => {
  standins = await startStandins(mkdtempSync(join(tmpdir(), 'virga-standins-')), 'http://127.0.0.1:4180');
});
afterAll(() => standins.stop());

const form = (body: Record<string, string>, client?: string) =>
  fetch(`${standins.issuer}/token`, {
    method: 'POST',
    headers: { 'content-type': 'application/x-www-form-urlencoded', ...(client ? { authorization: `Basic ${Buffer.from(client).toString('base64')}` } : {}) },
    body: new URLSearchParams(body),
  });

describe('Trust Sign-in', () => {
  test('issues JWT access tokens of RFC 9068 section 2', async () => {
    const token = await standins.token('canal-loggers:loggers-demo-secret', 'readings:write');
    expect(decodeProtectedHeader(token)).toMatchObject({ alg: 'RS256', typ: 'at+jwt', kid: 'basin-1' });
    expect(decodeJwt(token)).toMatchObject({
      iss: standins.issuer,
      aud: 'https://readings.velmora.example',
      client_id: 'canal-loggers',
      scope: 'readings:write',
      sub: expect.any(String),
      jti: expect.any(String),
      exp: expect.any(Number),
      iat: expect.any(Number),
    });
  });

  test.each<[string, Record<string, string>, string | undefined, string]>([
    ['a wrong secret', { grant_type: 'client_credentials', scope: 'readings:write' }, 'canal-loggers:wrong', 'invalid_client'],
    ['a scope the client has not', { grant_type: 'client_credentials', scope: 'gates:operate' }, 'canal-loggers:loggers-demo-secret', 'invalid_scope'],
    ['a grant that the client has not', { grant_type: 'password', username: 'a', password: 'b' }, 'workshop:workshop-demo-secret', 'invalid_request'],
    [
      'a code nobody issued',
      { grant_type: 'authorization_code', code: 'x', redirect_uri: 'http://127.0.0.1:4180/control/v1/personas/callback', code_verifier: 'v'.repeat(43) },
      'workshop:workshop-demo-secret',
      'invalid_grant',
    ],
  ])('refuses %s', async (_name, body, client, error) => {
    const answer = await form(body, client);
    expect([answer.status >= 400, ((await answer.json()) as { error: string }).error]).toEqual([true, error]);
  });

  test('asks for PKCE, and for the exact redirect URI (RFC 9700 section 2.1)', async () => {
    const authorize = (query: Record<string, string>) =>
      fetch(`${standins.issuer}/auth?${new URLSearchParams({ client_id: 'rider-tablet', response_type: 'code', scope: 'openid', ...query }).toString()}`, {
        redirect: 'manual',
      });
    const own = 'http://127.0.0.1:4180/control/v1/personas/callback';
    expect((await authorize({ redirect_uri: own })).headers.get('location')).toContain('error=invalid_request');
    expect((await authorize({ redirect_uri: `${own}/x`, code_challenge: 'c'.repeat(43), code_challenge_method: 'S256' })).status).toBe(400);
    expect((await authorize({ redirect_uri: own, code_challenge: 'c'.repeat(43), code_challenge_method: 'S256' })).headers.get('location')).toContain(
      '/sign-in/',
    );
  });

  test('rotates its key on request; the old one stays until it is withdrawn', async () => {
    const kids = async () => ((await (await fetch(`${standins.issuer}/jwks`)).json()) as { keys: { kid: string }[] }).keys.map((key) => key.kid);
    expect(await kids()).toEqual(['basin-1']);
    await fetch(`${standins.issuer}/standin/rotate-keys`, { method: 'POST' });
    expect(await kids()).toEqual(['basin-2', 'basin-1']);
    expect(decodeProtectedHeader(await standins.token('open-data:open-data-demo-secret', 'gates:read')).kid).toBe('basin-2');
    await fetch(`${standins.issuer}/standin/rotate-keys?withdraw=true`, { method: 'POST' });
    expect(await kids()).toEqual(['basin-3']);
  });
});

describe('Headgates', () => {
  const gate = async (path = '', init: RequestInit = {}) => {
    const answer = await fetch(`${standins.gates}/gates/G-5${path}`, { ...init, headers: { 'content-type': 'application/json' } });
    return { status: answer.status, body: (await answer.json()) as Record<string, unknown> };
  };
  const move = (opening: unknown) => gate('/positions', { method: 'POST', body: JSON.stringify({ opening, reason: 'test' }) });

  test('a gate that was moved stays moved; one that is locked out does not move', async () => {
    expect((await move(63)).status).toBe(201);
    expect((await gate()).body['opening']).toBe(63);
    expect((await move(101)).status).toBe(422);
    await gate('/lock-out', { method: 'PUT' });
    expect((await move(10)).status).toBe(409);
    await gate('/lock-out', { method: 'DELETE' });
    expect((await move(10)).status).toBe(201);
    expect(((await gate('/positions')).body['items'] as { opening: number }[]).map((item) => item.opening)).toEqual([10, 63]);
  });
});

describe('the other two providers', () => {
  const claimsOf = (token: string): Record<string, unknown> =>
    JSON.parse(Buffer.from(token.split('.')[1] ?? '', 'base64url').toString()) as Record<string, unknown>;
  const kit = () => askToken(standins.dunlin, 'inspection-kit:inspection-demo-secret', { grant_type: 'client_credentials', scope: 'gates:read' });
  const introspect = async (token: string, client = 'virga-gateway:gateway-demo-secret') => {
    const answer = await fetch(`${standins.dunlin}/token/introspection`, {
      method: 'POST',
      headers: { authorization: `Basic ${Buffer.from(client).toString('base64')}`, 'content-type': 'application/x-www-form-urlencoded' },
      body: new URLSearchParams({ token }),
    });
    return { status: answer.status, body: (await answer.json()) as Record<string, unknown> };
  };
  const state = async (issuer: string) =>
    (await (await fetch(`${issuer}/standin/state`)).json()) as { moods: string[]; introspections: number; keys: string[] };

  test('State Water Registry: ES256, scopes in scp, roles two levels down, the tenant in org', async () => {
    const { access_token: token = '' } = await askToken(standins.registry, 'registry-sync:registry-demo-secret', {
      grant_type: 'client_credentials',
      scope: 'gates:read',
    });
    expect(JSON.parse(Buffer.from(token.split('.')[0] ?? '', 'base64url').toString())).toMatchObject({ alg: 'ES256', typ: 'at+jwt', kid: 'registry-1' });
    expect(claimsOf(token)).toMatchObject({
      iss: standins.registry,
      scp: ['gates:read'],
      org: 'state-water',
      registry: { access: { roles: ['partner-agency'] } },
    });
    expect(claimsOf(token)).not.toHaveProperty('scope');
  });

  test('Dunlin Fieldworks: tokens that mean nothing without asking, and asking needs a credential (RFC 7662 section 2)', async () => {
    const { access_token: token = '' } = await kit();
    expect(token).not.toContain('.');
    const before = (await state(standins.dunlin)).introspections;
    expect(await introspect(token)).toMatchObject({
      status: 200,
      body: { active: true, iss: standins.dunlin, client_id: 'inspection-kit', crew: 'inspection,north-bank', scope: 'gates:read' },
    });
    expect(await introspect('made-up')).toEqual({ status: 200, body: { active: false } });
    expect((await introspect(token, 'virga-gateway:wrong')).status).toBe(401);
    expect((await state(standins.dunlin)).introspections).toBe(before + 3);
  });

  test('a token that was revoked is active no longer (RFC 7009 section 2)', async () => {
    const { access_token: token = '' } = await kit();
    const revoked = await fetch(`${standins.dunlin}/token/revocation`, {
      method: 'POST',
      headers: {
        authorization: `Basic ${Buffer.from('inspection-kit:inspection-demo-secret').toString('base64')}`,
        'content-type': 'application/x-www-form-urlencoded',
      },
      body: new URLSearchParams({ token }),
    });
    expect(revoked.status).toBe(200);
    expect((await introspect(token)).body).toEqual({ active: false });
  });

  test.each<[string, string, number | string]>([
    ['failing', '/token', 500],
    ['wrong-issuer', '/.well-known/openid-configuration', 'trailing slash'],
    ['weak-key', '/jwks', '"kid":"weak"'],
    ['not-json', '/jwks', 'Maintenance'],
    ['huge-document', '/jwks', 'xxxxxxxx'],
  ])('%s: on request, for a time, then calm again', async (mood, path, expected) => {
    const { until } = (await (await fetch(`${standins.registry}/standin/${mood}?ms=20000`, { method: 'POST' })).json()) as { until: number };
    expect(until).toBeGreaterThan(Date.now() + 15_000);
    expect((await state(standins.registry)).moods).toEqual([mood]);
    const answer = await fetch(standins.registry + path);
    const text = await answer.text();
    if (typeof expected === 'number') expect(answer.status).toBe(expected);
    else if (mood === 'wrong-issuer') expect((JSON.parse(text) as { issuer: string }).issuer).toBe(`${standins.registry}/`);
    else expect(text).toContain(expected);
    await fetch(`${standins.registry}/standin/calm`, { method: 'POST' });
    expect((await state(standins.registry)).moods).toEqual([]);
    expect((await fetch(`${standins.registry}/jwks`)).status).toBe(200);
  });

  test('what is no handle is said, and moods end by themselves', async () => {
    expect((await fetch(`${standins.registry}/standin/nothing`, { method: 'POST' })).status).toBe(404);
    await fetch(`${standins.registry}/standin/failing?ms=1`, { method: 'POST' });
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect((await fetch(`${standins.registry}/jwks`)).status).toBe(200);
  });
});
