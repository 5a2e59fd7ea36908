import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { expect, test, type DemoFacts } from './demo';

interface Listed {
  readonly items: readonly { readonly id: string; readonly name: string }[];
}

const control = async <T>(demo: DemoFacts, path: string, init: RequestInit = {}): Promise<T> => {
  const answer = await fetch(demo.controlUrl + path, {
    ...init,
    headers: { authorization: `Bearer ${demo.controlToken}`, 'content-type': 'application/json' },
  });
  return (await answer.json()) as T;
};
const idOf = async (demo: DemoFacts, kind: string, name: string): Promise<string> =>
  (await control<Listed>(demo, `/${kind}`)).items.find((item) => item.name === name)?.id ?? '';
const tokenOf = async (demo: DemoFacts, persona: string): Promise<string> => {
  const id = await idOf(demo, 'personas', persona);
  return (await control<{ accessToken: string }>(demo, `/personas/${id}/token`, { method: 'POST' })).accessToken;
};
const open = async (page: Page, path: string): Promise<void> => {
  await page.goto(new URL(page.url()).origin + path);
  await expect(page.locator('h1').first()).toBeVisible();
};

test('a curl line is pasted: what it holds, every check, and the one that decides', async ({ console: page, demo }) => {
  const token = await tokenOf(demo, 'Open data job');
  await open(page, '/bench');
  await page.getByLabel(/paste anything/).fill(`curl -s https://api.example -H 'Authorization: Bearer ${token}'`);
  await expect(page.getByRole('heading', { name: 'access token' })).toBeVisible();
  await expect(page.getByRole('img', { name: /in 3 parts/ })).toBeVisible();
  await expect(page.getByRole('table', { name: 'Payload' }).getByRole('row', { name: /client_id/ })).toContainText('open-data');
  await page.getByLabel('API or provider').selectOption({ label: 'Headgates' });
  await page.getByRole('combobox', { name: 'Operation' }).selectOption('POST /gates/{gateId}/positions');
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  await expect(page.getByText('The gateway answers 403.')).toBeVisible();
  const decider = page.getByRole('list', { name: 'Checks' }).getByRole('listitem').filter({ hasText: 'The gateway stops here.' });
  await expect(decider).toHaveCount(1);
  await decider.getByRole('button').click();
  await expect(page.getByRole('complementary', { name: 'Why' })).toContainText('gates:operate');
  await page.keyboard.press('Escape');
  await page.getByRole('combobox', { name: 'Operation' }).selectOption('GET /gates');
  // The answer to another question does not stay beside this one.
  await expect(page.getByText('The gateway answers 403.')).toBeHidden();
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  await expect(page.getByText('The gateway lets it pass.')).toBeVisible();
  await expect(page.getByLabel('Principal', { exact: true }).last()).toContainText('open-data');
  const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa']).analyze();
  expect(violations.map((item) => `${item.id}: ${item.nodes[0]?.html.slice(0, 160)}`)).toEqual([]);
});

test('a token is minted, passes the draft that trusts the bench, and no variant of it does', async ({ console: page }) => {
  await open(page, '/bench/mint');
  await page.getByLabel(/For an API/).selectOption({ label: 'Headgates' });
  await expect(page.getByLabel(/^Claims;/)).toHaveValue(/headgates\.velmora\.example/);
  await page.getByRole('button', { name: 'Sign it' }).click();
  await page.getByRole('button', { name: 'verify it' }).click();
  await page.getByRole('combobox', { name: 'Operation' }).selectOption('GET /gates');
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  await expect(page.getByText('The gateway lets it pass.')).toBeVisible();
  await page.getByLabel(/trust the bench’s own issuer/).uncheck();
  await page.getByRole('button', { name: 'Verify', exact: true }).click();
  await expect(page.getByText(/which no provider of this release has/).first()).toBeVisible();
  await page.getByLabel(/trust the bench’s own issuer/).check();
  await page.getByRole('link', { name: 'Tamper' }).click();
  await page.getByRole('button', { name: 'Try every change' }).click();
  await expect(page.getByText(/^All \d+ were stopped\./)).toBeVisible();
  await expect(page.getByRole('table', { name: 'Variants' })).not.toContainText('stopped by another check');
});

test('a person signs in for the bench; the ID token is named, and two tokens are compared', async ({ console: page, demo }) => {
  await open(page, '/bench/get');
  await page.getByLabel('Provider').selectOption({ label: 'Trust Sign-in' });
  await page.getByLabel('Grant').selectOption('authorization_code');
  await page.getByLabel('Client id').fill('rider-tablet');
  await page.getByLabel('Scopes').fill('openid gates:read');
  const popup = page.waitForEvent('popup');
  await page.getByRole('button', { name: 'Get it' }).click();
  const signIn = await popup;
  await signIn.getByLabel('Name').selectOption('rider.north');
  await signIn.getByLabel('Password').fill(demo.standins[0]?.users[0]?.password ?? '');
  await signIn.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByText('The provider gave a token.')).toBeVisible();
  await expect(page.getByText('PKCE verifier')).toBeVisible();
  await expect(page.locator('details').last()).toContainText('grant_type=authorization_code');
  await page.getByRole('button', { name: 'read and verify' }).last().click();
  await expect(page.getByText(/^An ID token/)).toBeVisible();
  await page.getByLabel('Name to keep it by').fill('of the rider');
  await page.getByRole('button', { name: 'Keep' }).click();
  await expect(page.getByText('kept', { exact: true })).toBeVisible();
  await page.getByLabel(/paste anything/).fill(await tokenOf(demo, 'Open data job'));
  await page.getByRole('link', { name: 'Kept by name' }).click();
  await page.getByRole('button', { name: 'compare with it' }).click();
  const rows = page.getByRole('table', { name: 'Differences' });
  await expect(rows.getByRole('row', { name: /^sub/ })).toContainText('rider.north');
  await expect(rows.getByRole('row', { name: /^client_id/ })).toContainText('not there');
});

test('a provider of opaque tokens is trusted, and its claims are mapped before a sample', async ({ console: page, demo }) => {
  await open(page, '/providers');
  await expect(page.getByRole('row', { name: /Dunlin Fieldworks/ })).toContainText('asking, opaque tokens');
  await page.getByRole('row', { name: /State Water Registry/ }).click();
  await expect(page.getByRole('img', { name: 'When each key was seen' })).toBeVisible();
  await expect(page.getByLabel('Principal').getByText('partner', { exact: true })).toBeVisible();
  await page.getByLabel('A sample').fill('{ "registry": { "access": { "roles": ["somebody-else"] } } }');
  await expect(page.getByLabel('Principal').getByText('partner', { exact: true })).toBeHidden();
  await page.getByLabel('A sample').fill('no JSON');
  await expect(page.getByText(/Paste claims as a JSON object/)).toBeVisible();
  await page.getByRole('button', { name: 'Ask and compare' }).click();
  await expect(page.getByText('It says what is set here.')).toBeVisible();
  await fetch(`${demo.standins[3]?.issuer}/standin/wrong-issuer?ms=20000`, { method: 'POST' });
  await page.getByRole('button', { name: 'Ask and compare' }).click();
  await expect(page.getByText(/differ only in a slash/)).toBeVisible();
  await fetch(`${demo.standins[3]?.issuer}/standin/calm`, { method: 'POST' });
});

test('a client is revoked at once and let in again, and the provider’s own failing is said', async ({ console: page, demo }) => {
  const token = await tokenOf(demo, 'Dunlin inspection kit');
  const status = async () => (await fetch(`${demo.gatewayUrl}/headgates/gates`, { headers: { authorization: `Bearer ${token}` } })).status;
  expect(await status()).toBe(200);
  await open(page, `/providers/${await idOf(demo, 'providers', 'Dunlin Fieldworks')}`);
  await page.getByLabel('Refuse from now on').selectOption('client');
  await page.getByLabel('which', { exact: true }).fill('inspection-kit');
  await page.getByLabel(/^Why; it stands/).fill('kit stolen');
  await page.getByRole('button', { name: 'Revoke at once' }).click();
  await expect(page.getByText(/kit stolen/)).toBeVisible();
  await expect.poll(status).toBe(401);
  await page.getByRole('button', { name: 'take back' }).click();
  await expect(page.getByText('No token of this provider is revoked here.')).toBeVisible();
  await expect.poll(status).toBe(200);
});

test('an operation asks for more of its tokens than its API', async ({ console: page }) => {
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Headgates', exact: true }).click();
  await page.getByRole('checkbox', { name: 'Select POST /gates/{gateId}/positions', exact: true }).check();
  await page.getByRole('button', { name: 'tokens', exact: true }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('How strongly and lately the user signed in (RFC 9470)', { exact: true }).check();
  await dialog.getByLabel('ask how strongly').check();
  await dialog.getByLabel('acr: one of these').fill('urn:basin:key');
  await dialog.getByLabel('at most this many seconds ago').fill('600');
  await dialog.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('step-up urn:basin:key within 600 s')).toBeVisible();
  await open(page, '/releases');
  await page.getByRole('button', { name: 'Discard the draft' }).click();
  await page.getByRole('button', { name: /^Discard \d/ }).click();
  await expect(page.getByText('nothing unpublished')).toBeVisible();
});

test('settings: traces are kept as long as asked, and a hop that may pass certificates on is named', async ({ console: page, demo }) => {
  await open(page, '/settings');
  await page.getByLabel(/^At most this many traces/).fill('99');
  await page.getByRole('button', { name: 'Keep traces so' }).click();
  await expect(page.getByText(/must not be less than 100/)).toBeVisible();
  await page.getByLabel(/^At most this many traces/).fill('150000');
  await page.getByRole('button', { name: 'Keep traces so' }).click();
  await expect.poll(() => control<{ traceCount: number }>(demo, '/settings/retention')).toMatchObject({ traceCount: 150_000 });
  await page.getByLabel('take certificates from a header').check();
  await page.getByLabel(/^Addresses and networks/).fill('gateway.example');
  await page.getByLabel('Header', { exact: true }).focus();
  await expect(page.getByText(/An address or a network/)).toBeVisible();
  await page.getByLabel(/^Addresses and networks/).fill('192.0.2.7');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('1 change', { exact: false }).first()).toBeVisible();
  await page.getByRole('link', { name: 'Compare' }).click();
  await expect(page.getByRole('cell', { name: 'header of client certificates changed', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Discard the draft' }).click();
  await page.getByRole('button', { name: /^Discard \d/ }).click();
  await expect(page.getByText('nothing unpublished')).toBeVisible();
});
