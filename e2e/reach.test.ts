import { describedCallers, reachOf, reachTable, readToken, UnreadToken, type ReachCell, type ReleaseDocument, type SupposedCaller } from '@virga/core';
import type { ReachFacts, StandingView } from '@virga/protocol';
import { expect, test, type DemoFacts } from './demo';

const get = async <T>({ controlUrl, controlToken }: DemoFacts, path: string): Promise<T> => {
  const answer = await fetch(`${controlUrl}${path}`, { headers: { authorization: `Bearer ${controlToken}` } });
  if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
  return (await answer.json()) as T;
};

/** A token by client credentials, as a caller gets one. */
async function tokenOf({ address }: DemoFacts['standins'][number], client: string, secret: string, scope: string, resource: string): Promise<string> {
  const answer = await fetch(`${address}/token`, {
    method: 'POST',
    headers: { authorization: `Basic ${Buffer.from(`${client}:${secret}`).toString('base64')}` },
    body: new URLSearchParams({ grant_type: 'client_credentials', ...(scope === '' ? {} : { scope }), resource }),
  });
  return ((await answer.json()) as { access_token: string }).access_token;
}

test('every cell of the table says what the gateway does over HTTP', async ({ demo }) => {
  const live = (await get<StandingView>(demo, '/standing')).live?.number ?? 0;
  const document = await get<ReleaseDocument>(demo, `/releases/${live}/document`);
  const facts = await get<ReachFacts>(demo, '/reach/facts');
  const settings = { atMs: Date.now(), address: '192.0.2.7', nowMs: Date.now() };

  /** Callers that can be both supposed and real: with their headers for each. */
  const callers: { readonly supposed: SupposedCaller; readonly headers: Record<string, string> }[] = [];
  const [nobody] = describedCallers([document], facts);
  if (nobody) callers.push({ supposed: nobody, headers: {} });
  for (const standin of demo.standins.filter(({ issuer }) => issuer !== undefined))
    for (const { id, secret } of standin.clients) {
      const provider = document.providers.find(({ issuer }) => issuer === standin.issuer);
      if (!provider || !['canal-loggers', 'open-data', 'workshop', 'registry-sync'].includes(id)) continue;
      for (const { resource } of document.apis) {
        const token = await tokenOf(standin, id, secret, '', resource.identifier);
        const read = readToken(token);
        if (read instanceof UnreadToken) throw new Error(`${id}: no signed token`);
        callers.push({
          supposed: {
            id: `${id} ${resource.identifier}`,
            kind: 'persona',
            name: id,
            credentials: [
              { kind: 'token', providerId: provider.id, form: 'jwt', typ: String(read.header['typ']), claims: read.claims, principal: null, vague: false },
            ],
          },
          headers: { authorization: `Bearer ${token}` },
        });
      }
    }
  const credential = (kind: string, client: string) =>
    facts.credentials.find((one) => one.kind === kind && facts.clients.find(({ id }) => id === one.clientId)?.name === client && one.revokedAt === null);
  const key = credential('key', 'Open data site');
  const basic = credential('basic', 'Old billing job');
  if (!key || !basic) throw new Error('the demo has a client with a key and one with Basic');
  callers.push({
    supposed: { id: 'key', kind: 'client', name: 'key', credentials: [{ kind: 'key', credentialId: key.id }] },
    headers: { 'x-api-key': demo.made.openDataKey },
  });
  callers.push({
    supposed: { id: 'basic', kind: 'client', name: 'basic', credentials: [{ kind: 'basic', credentialId: basic.id }] },
    headers: { authorization: `Basic ${Buffer.from(demo.made.billing).toString('base64')}` },
  });

  const table = await reachTable(
    reachOf(document, facts, settings),
    callers.map(({ supposed }) => supposed),
  );
  const wrong: string[] = [];
  const seen: Record<ReachCell['kind'], number> = { allowed: 0, conditional: 0, refused: 0 };
  for (const [at, { method, path, operationId }] of table.operations.entries())
    for (const [who, { supposed, headers }] of callers.entries()) {
      const cell = table.rows[at]?.[who];
      if (!cell) throw new Error('the table has a cell for each');
      const answer = await fetch(demo.gatewayUrl + path.replace(/\{[^}]+\}/g, 'any-value'), {
        method,
        headers: {
          'x-forwarded-for': settings.address,
          ...(['POST', 'PUT', 'PATCH'].includes(method) ? { 'content-type': 'application/json' } : {}),
          ...headers,
        },
        ...(['POST', 'PUT', 'PATCH'].includes(method) ? { body: '{}' } : {}),
        redirect: 'manual',
      });
      await answer.arrayBuffer();
      seen[cell.kind]++;
      // What the gateway refuses it says itself; what the upstream answers has no problem document of the gateway.
      const refused = [401, 403].includes(answer.status) && (answer.headers.get('content-type') ?? '').includes('problem+json');
      const agrees = cell.kind === 'conditional' || refused === (cell.kind === 'refused');
      if (!agrees) wrong.push(`${operationId} by ${supposed.id}: ${cell.kind} (${cell.code}), the gateway answered ${answer.status}`);
    }
  expect(wrong).toEqual([]);
  expect(seen.allowed).toBeGreaterThan(5);
  expect(seen.refused).toBeGreaterThan(20);
});

test('reach finds an operation that somebody should not have, says why, and shows what a draft changes', async ({ console: page, demo }) => {
  await page.getByRole('link', { name: 'Reach' }).click();
  const chart = page.getByRole('application', { name: /Reach: \d+ operations/ });
  await expect(chart).toBeVisible();
  // By keyboard: the cell is said, and Enter says why.
  await chart.focus();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowUp');
  await expect(page.locator('.unseen')).toHaveText(/GET \/headgates\/gates, nobody: refused at Credential/);
  await page.keyboard.press('Enter');
  const why = page.getByRole('complementary', { name: 'Why' });
  await expect(why.getByRole('heading', { name: 'What would let it through' })).toBeVisible();
  await expect(why.getByText(/a token of Trust Sign-in .*and the scope gates:read/)).toBeVisible();
  await why.getByRole('button', { name: 'Put it into the probe' }).click();
  await expect(page.getByLabel('Path and query')).toHaveValue('/headgates/gates');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText(/Refused/).first()).toBeVisible();
  await page.keyboard.press('`');

  // What a key opens: pasted, it is known by its client, and the list is the question turned round.
  await page.getByLabel('Token or key').fill(demo.made.openDataKey);
  await page.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByText(/The key .* of Open data site/).first()).toBeVisible();
  await expect(why.getByRole('heading', { name: 'What pasted key opens' })).toBeVisible();
  await expect(why.getByText(/let in/).first()).toBeVisible();
  await page.getByLabel('Token or key').fill('not-a-credential-at-all');
  await page.getByRole('button', { name: 'Add it' }).click();
  await expect(page.getByText(/Neither a signed token nor a key/)).toBeVisible();

  // A draft that says an operation is public: the difference alone.
  const { items } = await get<{ items: { id: string; name: string }[] }>(demo, '/apis');
  const gates = items.find(({ name }) => name === 'Headgates');
  const open = await fetch(`${demo.controlUrl}/apis/${gates?.id ?? ''}/operations`, {
    method: 'PATCH',
    headers: { authorization: `Bearer ${demo.controlToken}`, 'content-type': 'application/json' },
    body: JSON.stringify({ ids: ['GET /gates'], access: { kind: 'public' } }),
  });
  expect([open.status, open.ok ? '' : await open.text()]).toEqual([open.status, '']);
  const live = (await get<StandingView>(demo, '/standing')).live?.number ?? 0;
  await page.getByLabel('The release it is held against').selectOption(String(live));
  await page.getByLabel('differences only').click();
  await expect(page.getByLabel('differences only')).toBeChecked();
  await expect(page.getByRole('application', { name: /Reach: 1 operations/ })).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'as CSV' }).click()]);
  const text = await (await import('node:fs/promises')).readFile(await download.path(), 'utf8');
  expect(text.split('\n')[0]).toBe('api,method,path,caller kind,caller,reach,step,code,hangs on,before,hung on before');
  expect(text).toContain('Headgates,GET,/headgates/gates,nobody,nobody,allowed,credential,credential.not-asked,,refused,');
  await fetch(`${demo.controlUrl}/draft/discard`, { method: 'POST', headers: { authorization: `Bearer ${demo.controlToken}` } });
});
