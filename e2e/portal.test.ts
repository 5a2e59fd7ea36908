import type { Browser, Page, Route } from '@playwright/test';
import { axeOf, faultsOf } from './accessibility';
import { expect, test } from './demo';

/** A window of somebody else at the portal. */
async function visitor(browser: Browser | null, portalUrl: string, options: { colorScheme?: 'dark' | 'light'; width?: number } = {}): Promise<Page> {
  const context = await browser?.newContext({ colorScheme: options.colorScheme ?? 'light', viewport: { width: options.width ?? 1280, height: 800 } });
  const page = await context?.newPage();
  if (!page) throw new Error('there is no browser');
  // Calls that are tried come from a network that may call whichever file was before this one.
  await page.route('**/portal/v1/attempts', async (route) => {
    const input = route.request().postDataJSON() as { headers: object[] };
    await route.continue({ postData: JSON.stringify({ ...input, headers: [...input.headers, { name: 'x-forwarded-for', value: '198.51.100.24' }] }) });
  });
  await page.goto(portalUrl);
  return page;
}

async function signInAs(page: Page, portalUrl: string, name: string, password: string): Promise<void> {
  await page.goto(`${portalUrl}/sign-in`);
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(page.getByText('sign out')).toBeVisible();
}

/** At the provider's own page. */
async function signInAtTrust(page: Page): Promise<void> {
  await expect(page.getByRole('heading', { name: 'Trust Sign-in' })).toBeVisible();
  await page.getByLabel('Name').selectOption('grower.217');
  await page.getByLabel('Password').fill('shared-water');
  await page.getByRole('button', { name: 'Sign in' }).click();
}

const look = (page: Page): Promise<string[]> => faultsOf(axeOf(page));

test('a consumer asks for a plan, the operator approves, a key is made, a call is tried and the use seen', async ({ console: operator, demo }) => {
  const page = await visitor(operator.context().browser(), demo.portalUrl);
  // Who is not signed in sees what everybody does.
  await expect(page.getByRole('link', { name: 'Meter readings' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Allotments' })).toHaveCount(0);
  await signInAs(page, demo.portalUrl, 'school.teacher', 'lessons-on-water');
  await expect(page.getByRole('link', { name: 'Allotments' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Headgates' })).toHaveCount(0);

  await page.getByRole('link', { name: 'Meter readings' }).click();
  await page.getByRole('link', { name: 'Getting in' }).click();
  await page.getByRole('region', { name: 'Field devices' }).getByRole('button', { name: 'ask for it' }).click();
  await page.getByLabel('For which program').selectOption({ label: 'a new one' });
  await page.getByLabel('What it is called').fill('Logger of the class');
  await page.getByLabel('What you need it for').fill('The class reads a meter each week');
  await page.getByRole('dialog').getByRole('button', { name: 'Ask for it' }).click();
  await expect(page.getByRole('link', { name: 'Logger of the class' })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Field devices' })).toContainText('waits for approval');

  const origin = new URL(operator.url()).origin;
  await operator.goto(origin);
  await operator.getByRole('link', { name: /clients? waits? for a plan/ }).click();
  const asked = operator.getByRole('group', { name: 'Logger of the class asks for Field devices' });
  await expect(asked).toContainText('The class reads a meter each week');
  await asked.getByLabel('What you answer, which they read').fill('Good luck with it');
  await asked.getByRole('button', { name: 'approve' }).click();
  await expect(asked).toHaveCount(0);

  await page.getByRole('link', { name: 'Logger of the class' }).click();
  await expect(page.getByRole('table', { name: 'Plans' })).toContainText('yours');
  await expect(page.getByText('“Good luck with it”')).toBeVisible();
  await page.getByLabel('A new key, called').fill('on the desk');
  await page.getByRole('button', { name: 'Make a key' }).click();
  const key = (await page.locator('[data-secret]').textContent())?.trim() ?? '';
  expect(key).toMatch(/^vrk_/);
  await page.getByRole('button', { name: 'I have put it away' }).click();
  await expect(page.getByText(key)).toHaveCount(0);

  await page.getByRole('link', { name: 'APIs', exact: true }).click();
  await page.getByRole('link', { name: 'Meter readings' }).click();
  await page.getByRole('link', { name: /Volume of the whole basin/ }).click();
  await page.getByLabel('Your key').fill(key);
  await expect(page.locator('[data-sample="curl"]')).toContainText('"$API_KEY"');
  await expect(page.locator('[data-sample="curl"]')).not.toContainText(key);
  for (const language of ['fetch', 'Python', 'Go']) {
    await page.getByRole('button', { name: language }).click();
    await expect(page.locator(`[data-sample="${language}"]`)).toContainText('/readings/basin-volumes');
  }
  await page.getByRole('button', { name: 'Call it' }).click();
  await expect(page.locator('[data-answer="200"]')).toContainText('cubicMetres');
  // With nothing, where a proof is enforced: what a caller may know of why, and by what the operator finds it.
  await page.getByRole('link', { name: 'List meters' }).click();
  await page.getByRole('button', { name: 'Call it' }).click();
  await expect(page.locator('[data-answer="401"]')).toContainText('Put in a proof that is good');
  await expect(page.locator('[data-answer="401"]')).toContainText('The operator finds it by');

  await page.getByRole('link', { name: 'Your programs' }).click();
  await page.getByRole('link', { name: 'Logger of the class' }).click();
  const use = page.getByRole('region', { name: 'Use' });
  await expect(use).toContainText('1 answered', { timeout: 20_000 });
  await use.getByRole('button', { name: 'as a table' }).click();
  await expect(use.getByRole('columnheader', { name: 'From' })).toBeVisible();
  const file = page.waitForEvent('download');
  await use.getByRole('button', { name: 'as CSV' }).click();
  expect((await file).suggestedFilename()).toMatch(/^use-.+-7d\.csv$/);
  await expect(page.getByRole('region', { name: 'What is left' })).toContainText('of 200 left');
  // Rotated, both keys are taken; revoked, the new one stays.
  await page.getByRole('button', { name: 'rotate' }).click();
  await expect(page.locator('[data-secret]')).toHaveText(/^vrk_/);
  await expect(page.getByText('another takes its place')).toBeVisible();

  await operator.goto(`${origin}/portal/log`);
  await operator.getByLabel('only what was approved').check();
  await expect(operator.getByRole('row', { name: /operator.*Basin schools.*its plan Field devices is active/ })).toBeVisible();
  await page.context().close();
});

test('somebody is invited in the console, comes in by the link once, and the operator looks as the team', async ({ console: operator, demo }) => {
  const origin = new URL(operator.url()).origin;
  await operator.goto(`${origin}/portal/teams`);
  await operator.getByLabel('A new team is called').fill('Canal walkers');
  await operator.getByRole('button', { name: 'Make it' }).click();
  await operator.getByLabel('For whom it is').fill('the first of them');
  await operator.getByRole('button', { name: 'Make a link' }).click();
  const link = (await operator.locator('[data-secret]').textContent())?.trim() ?? '';
  expect(link.startsWith(`${demo.portalUrl}/invitation#`)).toBe(true);

  const page = await visitor(operator.context().browser(), link);
  await expect(page.getByRole('heading', { name: 'Join Canal walkers' })).toBeVisible();
  expect(page.url()).not.toContain('#');
  await page.getByLabel('Name to sign in with').fill('walker.one');
  await page.getByLabel('What you are called').fill('Walker');
  await page.getByLabel('Password').fill('short');
  await page.getByRole('button', { name: 'Make the account and join' }).click();
  await expect(page.getByRole('heading', { name: 'Join Canal walkers' })).toBeVisible();
  await page.getByLabel('Password').fill('long enough for this');
  await page.getByRole('button', { name: 'Make the account and join' }).click();
  await page.getByRole('link', { name: 'Your team' }).click();
  await expect(page.getByRole('row', { name: /Walker.*walker\.one.*owner/ })).toBeVisible();
  await page.getByRole('link', { name: 'Your programs' }).click();
  await expect(page.getByText('There is no program yet')).toBeVisible();
  const again = await visitor(operator.context().browser(), link);
  await expect(again.getByText('This link is not good any more')).toBeVisible();
  await again.context().close();

  const opened = operator.context().waitForEvent('page');
  await operator.getByRole('button', { name: 'look as this team' }).click();
  const looking = await opened;
  await expect(looking.getByText('You look as the team Canal walkers')).toBeVisible();
  await looking.getByRole('link', { name: 'Your programs' }).click();
  await expect(looking.getByRole('button', { name: 'Make it' })).toHaveCount(0);
  await looking.getByRole('button', { name: 'stop looking' }).click();
  await expect(looking.getByRole('link', { name: 'Sign in' })).toBeVisible();
  await page.context().close();
});

test('text of the operator runs nothing in the portal, whatever stands in it', async ({ console: operator, demo }) => {
  const origin = new URL(operator.url()).origin;
  const hostile = [
    '<script>window.ran = 1</script>',
    '<img src=x onerror="window.ran = 2">',
    '[press](javascript:window.ran=3)',
    '[press](JaVaScRiPt:window.ran=4)',
    '<a href="javascript:window.ran=5">press</a>',
    '<iframe src="data:text/html,<script>parent.ran=6</script>"></iframe>',
    '![x](https://elsewhere.example/who-reads.png)',
    '[data](data:text/html;base64,PHNjcmlwdD5wYXJlbnQucmFuPTc8L3NjcmlwdD4=)',
    '<svg><script>window.ran = 8</script></svg>',
    '<style>body { display: none }</style>',
    '<form action="https://elsewhere.example"><input name="password"></form>',
    '**bold** stays',
  ].join('\n\n');
  await operator.goto(`${origin}/portal/pages`);
  await operator.getByRole('button', { name: 'Write a page' }).click();
  await operator.getByLabel('Title').fill('<b>Hostile</b> 運河 قناة');
  await operator.getByLabel('Markdown').fill(hostile);
  await expect(operator.locator('.prose strong')).toHaveText('bold');
  await operator.getByRole('button', { name: 'Put it in the portal' }).click();
  await expect(operator.getByText('In the portal at once')).toBeVisible();

  const page = await visitor(operator.context().browser(), demo.portalUrl);
  const asked: string[] = [];
  page.on('request', (request) => asked.push(request.url()));
  await page.getByRole('link', { name: '<b>Hostile</b> 運河 قناة' }).click();
  await expect(page.locator('.prose strong')).toHaveText('bold');
  for (const link of await page.locator('.prose a').all()) expect((await link.getAttribute('href')) ?? '').not.toMatch(/^(javascript|data|vbscript):/i);
  expect(await page.locator('.prose').locator('script, img, iframe, svg, style, form, input').count()).toBe(0);
  for (const link of await page.locator('.prose').getByText('press').all()) await link.click({ timeout: 2000, noWaitAfter: true }).catch(() => undefined);
  expect(await page.evaluate(() => (window as unknown as { ran?: number }).ran)).toBeUndefined();
  expect(asked.filter((url) => url.includes('elsewhere'))).toEqual([]);
  const policy = (await page.request.get(demo.portalUrl)).headers()['content-security-policy'] ?? '';
  expect(policy).toContain("script-src 'self'");
  expect(policy).toContain("frame-ancestors 'none'");
  await page.context().close();
  await operator.goto(`${origin}/portal/pages`);
  await operator
    .getByRole('row', { name: /Hostile/ })
    .getByRole('button', { name: 'take away' })
    .click();
  await operator.getByRole('button', { name: 'Take it away' }).click();
  await expect(operator.getByRole('row', { name: /Hostile/ })).toHaveCount(0);
});

test('one signs in at a provider, waits for approval, is approved, and gets a token by signing in there', async ({ console: operator, demo }) => {
  const page = await visitor(operator.context().browser(), `${demo.portalUrl}/sign-in`);
  await page.getByRole('button', { name: 'Sign in as a grower or as staff' }).click();
  await signInAtTrust(page);
  await expect(page.getByText('Your account waits for approval')).toBeVisible();
  await expect(page.getByRole('link', { name: 'Your team' })).toHaveCount(0);
  await operator.goto(`${new URL(operator.url()).origin}/portal`);
  const row = operator.getByRole('row', { name: /grower\.217/ });
  await row.getByRole('button', { name: 'approve' }).click();
  await expect(row).toHaveCount(0);
  await page.reload();
  await expect(page.getByText('Your account waits for approval')).toHaveCount(0);

  await page.getByRole('link', { name: 'Meter readings' }).click();
  await page.getByRole('link', { name: 'List meters' }).click();
  await page.getByRole('button', { name: 'get a token' }).click();
  await page.getByLabel('For whom').selectOption('authorization_code');
  await page.getByLabel('Client id of your program').fill('grower-app');
  const opened = page.context().waitForEvent('page');
  await page.getByRole('button', { name: 'Ask for it' }).click();
  const popup = await opened;
  await signInAtTrust(popup);
  await expect(popup.getByRole('heading')).toHaveText('The provider gave a token');
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await page.getByRole('button', { name: 'Call it' }).click();
  await expect(page.locator('[data-answer="200"]')).toBeVisible();
  await page.context().close();
});

test('the portal can be read by everybody: light, dark, narrow, by keyboard', async ({ console: operator, demo }) => {
  const browser = operator.context().browser();
  const page = await visitor(browser, demo.portalUrl);
  await expect(page.getByRole('link', { name: 'Meter readings' })).toBeVisible();
  expect(await look(page)).toEqual([]);
  await page.keyboard.press('Tab');
  await expect(page.getByRole('link', { name: 'To the page' })).toBeFocused();
  await page.getByRole('link', { name: 'Meter readings' }).focus();
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: /Volume of the whole basin/ }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Try it' })).toBeVisible();
  expect(await look(page)).toEqual([]);
  await signInAs(page, demo.portalUrl, 'data.editor', 'volumes-for-all');
  await page.getByRole('link', { name: 'Your programs' }).click();
  await page.getByRole('link', { name: 'Open data site' }).click();
  await expect(page.getByRole('region', { name: 'Use' })).toBeVisible();
  expect(await look(page)).toEqual([]);
  await page.context().close();

  const dark = await visitor(browser, `${demo.portalUrl}/sign-in`, { colorScheme: 'dark', width: 400 });
  await expect(dark.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  expect(await look(dark)).toEqual([]);
  await dark.goto(demo.portalUrl);
  await dark.getByRole('link', { name: 'Meter readings' }).click();
  await dark.getByRole('link', { name: /Volume of the whole basin/ }).click();
  await expect(dark.getByRole('heading', { name: 'Try it' })).toBeVisible();
  expect(await look(dark)).toEqual([]);
  expect(await dark.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth)).toBe(true);
  await dark.context().close();
  // The operator's screens too.
  const origin = new URL(operator.url()).origin;
  for (const path of ['/portal', '/portal/apis', '/portal/teams', '/portal/people', '/portal/pages', '/portal/notices', '/portal/look', '/portal/log']) {
    await operator.goto(origin + path);
    await expect(operator.getByRole('navigation', { name: 'Parts of the portal' })).toBeVisible();
    await operator.waitForTimeout(300);
    expect([path, await look(operator)]).toEqual([path, []]);
  }
});

test('an empty portal says so, and lets nobody in uninvited', async ({ empty, browser }) => {
  const portalUrl = empty.consoleUrl.replace(/\d+$/, (port) => String(Number(port) + 2));
  const page = await visitor(browser, portalUrl);
  await expect(page).toHaveTitle('API portal');
  await expect(page.getByText('There is nothing here that you may see.')).toBeVisible();
  // What a first visit loads of scripts, as it travels.
  const scripts = await page.evaluate(() =>
    performance.getEntriesByType('resource').flatMap((entry) => (entry.name.endsWith('.js') ? [(entry as PerformanceResourceTiming).encodedBodySize] : [])),
  );
  expect(scripts.length).toBeGreaterThan(1);
  expect(Math.min(...scripts)).toBeGreaterThan(0);
  expect(scripts.reduce((sum, size) => sum + size, 0)).toBeLessThan(250 * 1024);
  await page.getByRole('main').getByRole('link', { name: 'Sign in' }).click();
  await expect(page.getByText('Accounts are made by invitation.')).toBeVisible();
  await page.getByLabel('Name').fill('nobody');
  await page.getByLabel('Password').fill('some password');
  await page.getByRole('button', { name: 'Sign in', exact: true }).click();
  await expect(page.getByText('Name or password is wrong')).toBeVisible();
  await expect(page.getByLabel('Name')).toHaveValue('nobody');
  for (const path of ['/register', '/team', '/clients', '/clients/none', '/account', '/apis/none', '/pages/none', '/invitation', '/look', '/nowhere']) {
    await page.goto(portalUrl + path);
    await expect(page.getByRole('main')).not.toBeEmpty();
    await expect(page.getByText('This page could not be shown')).toHaveCount(0);
  }
  await page.context().close();
});

test('a team keeps its own: members, a program registered for sign-in, plans given back, keys revoked, a password changed', async ({
  console: operator,
  demo,
}) => {
  const page = await visitor(operator.context().browser(), demo.portalUrl);
  await signInAs(page, demo.portalUrl, 'data.editor', 'volumes-for-all');
  await page.getByRole('link', { name: 'Your programs' }).click();
  await page.getByLabel('A new program is called').fill('Map of the canal');
  await page.getByRole('button', { name: 'Make it' }).click();
  await page.getByRole('button', { name: 'register it for sign-in' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Redirect addresses, one on each line').fill('javascript:alert(1)');
  await dialog.getByRole('button', { name: 'Register it' }).click();
  await expect(dialog.getByRole('alert')).toContainText('It begins with https:');
  await dialog.getByLabel('Redirect addresses, one on each line').fill('https://map.velmora.example/back');
  await dialog.getByRole('button', { name: 'Register it' }).click();
  await expect(dialog).toHaveCount(0);
  await expect(page.locator('[data-secret]')).not.toBeEmpty();
  await page.getByRole('button', { name: 'I have put it away' }).click();
  // What was kept stands there when it is opened again at once, however slowly it is read back.
  const slowly = async (route: Route) => {
    if (route.request().method() === 'GET') await new Promise((resolve) => setTimeout(resolve, 700));
    await route.continue();
  };
  await page.route('**/clients/*', slowly);
  await page.getByRole('button', { name: 'redirect addresses' }).click();
  await dialog.getByLabel('Redirect addresses, one on each line').fill('https://map.velmora.example/back\nhttps://map.velmora.example/other');
  await dialog.getByRole('button', { name: 'Keep them' }).click();
  await expect(dialog).toHaveCount(0);
  await page.getByRole('button', { name: 'redirect addresses' }).click();
  await expect(dialog.getByLabel('Redirect addresses, one on each line')).toHaveValue('https://map.velmora.example/back\nhttps://map.velmora.example/other');
  await dialog.getByRole('button', { name: 'Leave it' }).click();
  await page.unroute('**/clients/*', slowly);
  await page.getByRole('button', { name: 'revoke' }).click();
  await page.getByRole('button', { name: 'Revoke it' }).click();
  await expect(page.getByRole('table', { name: 'Keys' })).toContainText('revoked');

  // A plan that is approved by itself is there at once, and given back at once.
  await page.getByRole('link', { name: 'APIs', exact: true }).click();
  await page.getByRole('link', { name: 'Allotments' }).click();
  await page.getByRole('link', { name: 'Getting in' }).click();
  const growers = page.getByRole('region', { name: 'Growers' });
  await expect(growers).toContainText('yours at once');
  await growers.getByRole('button', { name: 'ask for it' }).click();
  await page.getByLabel('For which program').selectOption({ label: 'Map of the canal' });
  await page.getByRole('dialog').getByRole('button', { name: 'Ask for it' }).click();
  await expect(growers).toContainText('Map of the canal: yours');
  await growers.getByRole('link', { name: 'Map of the canal' }).click();
  await page.getByRole('button', { name: 'give it back' }).click();
  await expect(page.getByRole('table', { name: 'Plans' })).toContainText('ended');
  await page.getByRole('button', { name: 'call it otherwise' }).click();
  await page.getByLabel('Its name').fill('Map of the south canal');
  await page.getByRole('button', { name: 'keep', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Map of the south canal' })).toBeVisible();
  await page.getByRole('button', { name: 'take it away' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Take it away' }).click();
  await expect(page.getByRole('heading', { name: 'Programs of Open data site' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Map of the south canal' })).toHaveCount(0);

  // A second one is invited, joins, and is taken out again.
  await page.getByRole('link', { name: 'Your team' }).click();
  await page.getByLabel('For whom it is').fill('who draws');
  await page.getByRole('button', { name: 'Make a link' }).click();
  const link = (await page.locator('[data-secret]').textContent())?.trim() ?? '';
  await expect(page.getByRole('table', { name: 'Open invitations' })).toContainText('who draws');
  const second = await visitor(operator.context().browser(), link);
  await second.getByLabel('Name to sign in with').fill('data.editor');
  await second.getByLabel('What you are called').fill('Drawer');
  await second.getByLabel('Password').fill('drawn-with-water');
  await second.getByRole('button', { name: 'Make the account and join' }).click();
  await expect(second.getByText('Somebody has that name already').first()).toBeVisible();
  await second.getByLabel('Name to sign in with').fill('data.drawer');
  await second.getByRole('button', { name: 'Make the account and join' }).click();
  await second.getByRole('link', { name: 'Your team' }).click();
  await expect(second.getByRole('button', { name: 'Make a link' })).toHaveCount(0);
  await page.reload();
  const row = page.getByRole('row', { name: /Drawer/ });
  await row.getByRole('button', { name: 'take out' }).click();
  await expect(row).toHaveCount(0);
  await second.reload();
  await expect(second.getByText('You are of no team yet')).toBeVisible();
  await second.context().close();

  await page.getByRole('link', { name: 'Editor of the open data' }).click();
  await page.getByLabel('The one that it is').fill('not this one');
  await page.getByLabel('The new one').fill('volumes-for-everybody');
  await page.getByRole('button', { name: 'Change it' }).click();
  await expect(page.getByText('That is not the password').first()).toBeVisible();
  await page.getByLabel('The one that it is').fill('volumes-for-all');
  await page.getByRole('button', { name: 'Change it' }).click();
  await expect(page.getByText('The password is changed')).toBeVisible();
  // Back again, for whoever comes after.
  await page.getByLabel('The one that it is').fill('volumes-for-everybody');
  await page.getByLabel('The new one').fill('volumes-for-all');
  await page.getByRole('button', { name: 'Change it' }).click();
  await expect(page.getByLabel('The new one')).toHaveValue('');
  await page.context().close();
});

test('the operator writes, shows, decides and switches off; the portal follows at once', async ({ console: operator, demo }) => {
  const origin = new URL(operator.url()).origin;
  const page = await visitor(operator.context().browser(), demo.portalUrl);
  await operator.goto(`${origin}/portal/look`);
  await operator.getByLabel('Its name').fill('');
  await operator.getByRole('button', { name: 'Put it in the portal' }).click();
  await expect(operator.getByText('The portal needs a name').first()).toBeVisible();
  await operator.getByLabel('Its name').fill('Water for all');
  await operator.getByRole('button', { name: 'Put it in the portal' }).click();
  await expect(operator.getByText('In the portal at once').first()).toBeVisible();
  await page.reload();
  await expect(page).toHaveTitle('Water for all');
  await operator.getByLabel('Its name').fill('Velmora Basin Water Trust');
  await operator.getByRole('button', { name: 'Put it in the portal' }).click();
  // What is set of providers stays as it was, secrets too.
  await page.reload();
  await expect(page).toHaveTitle('Velmora Basin Water Trust');
  const settings = await fetch(`${demo.controlUrl}/portal/settings`, { headers: { authorization: `Bearer ${demo.controlToken}` } });
  expect(await settings.json()).toMatchObject({ providers: [{ clientId: 'water-portal', secretSet: true, registration: true, live: true }] });

  await operator.goto(`${origin}/portal/apis`);
  const seen = operator.getByLabel('Who sees Headgates in the portal');
  await seen.selectOption('everybody');
  await page.reload();
  await expect(page.getByRole('link', { name: 'Headgates' })).toBeVisible();
  await seen.selectOption('teams');
  await operator.getByLabel('Basin schools').check();
  await operator.getByRole('button', { name: 'show it to this one' }).click();
  await expect(operator.getByRole('row', { name: /Headgates/ })).toContainText('Basin schools');
  await page.reload();
  await expect(page.getByRole('link', { name: 'Meter readings' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Headgates' })).toHaveCount(0);
  // The same switch stands in the API's own screen, with the same words.
  await operator.getByRole('link', { name: 'Headgates' }).click();
  await expect(operator.getByLabel('Who sees Headgates in the portal')).toHaveValue('teams');
  await expect(operator.getByText('Hidden is not closed').first()).toBeVisible();
  await operator.getByLabel('Who sees Headgates in the portal').selectOption('nobody');

  await operator.goto(`${origin}/portal/notices`);
  await operator.getByLabel('A notice, in Markdown').fill('**Gate four** is mended on Friday');
  await operator.getByLabel('Is', { exact: true }).selectOption('warning');
  await operator.getByRole('button', { name: 'Put it up' }).click();
  await expect(operator.getByRole('row', { name: /Gate four/ })).toBeVisible();
  await page.reload();
  await expect(page.getByRole('complementary', { name: 'Notices' }).locator('strong')).toHaveText('Gate four');
  await operator
    .getByRole('row', { name: /Gate four/ })
    .getByRole('button', { name: 'take away' })
    .click();
  await expect(operator.getByRole('row', { name: /Gate four/ })).toHaveCount(0);

  await signInAs(page, demo.portalUrl, 'school.pupil', 'lessons-on-water');
  await operator.goto(`${origin}/portal/people`);
  await operator.getByLabel('Find by name').fill('school.pupil');
  const row = operator.getByRole('row', { name: /school\.pupil/ });
  await row.getByRole('button', { name: 'switch off' }).click();
  await expect(row.getByRole('button', { name: 'switch on' })).toBeVisible();
  await page.reload();
  await expect(page.getByRole('link', { name: 'Sign in' })).toBeVisible();
  await row.getByRole('button', { name: 'switch on' }).click();
  await row.getByRole('button', { name: 'new password' }).click();
  const link = (await operator.locator('[data-secret]').textContent())?.trim() ?? '';
  await page.goto(link);
  await expect(page.getByRole('heading', { name: 'Choose a password' })).toBeVisible();
  await page.getByLabel('Password').fill('lessons-on-water');
  await page.getByRole('button', { name: 'Take it' }).click();
  await expect(page.getByText('Pupil at the canal')).toBeVisible();
  await page.context().close();

  // A client of the operator's is given to a team on its own page.
  await operator.goto(`${origin}/clients/water-museum`);
  await operator.getByLabel('Team in the portal').selectOption({ label: 'Basin schools' });
  await expect(operator.getByRole('link', { name: 'the team' })).toBeVisible();
  await operator.getByLabel('Team in the portal').selectOption('');
  await expect(operator.getByRole('link', { name: 'the team' })).toHaveCount(0);
});

test('an account is taken away by whom it is of, asked twice, and another one by the operator', async ({ console: operator, demo }) => {
  const origin = new URL(operator.url()).origin;
  await operator.goto(`${origin}/portal/teams`);
  await operator.getByLabel('A new team is called').fill('Passers-by');
  await operator.getByRole('button', { name: 'Make it' }).click();
  const join = async (name: string): Promise<Page> => {
    await operator.getByLabel('For whom it is').fill(name);
    await operator.getByRole('button', { name: 'Make a link' }).click();
    await expect(operator.locator('[data-secret]')).toBeVisible();
    const page = await visitor(operator.context().browser(), (await operator.locator('[data-secret]').textContent())?.trim() ?? '');
    await page.getByLabel('Name to sign in with').fill(name);
    await page.getByLabel('What you are called').fill(`The ${name}`);
    await page.getByLabel('Password').fill('long enough for this');
    await page.getByRole('button', { name: 'Make the account and join' }).click();
    await expect(page.getByText('sign out')).toBeVisible();
    return page;
  };
  const page = await join('passer.one');
  await page.goto(`${demo.portalUrl}/account`);
  const leave = page.getByRole('button', { name: 'Take it away' });
  await page.getByLabel('Your password').fill('not it at all');
  await leave.click();
  await page.getByRole('dialog').getByRole('button', { name: 'Take it away' }).click();
  await expect(page.getByText('That is not the password').first()).toBeVisible();
  expect(await look(page)).toEqual([]);
  await page.getByLabel('Your password').fill('long enough for this');
  await leave.click();
  await page.getByRole('dialog').getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByText('sign out')).toBeVisible();
  await leave.click();
  await page.getByRole('dialog').getByRole('button', { name: 'Take it away' }).click();
  await expect(page.getByText('Your account is gone')).toBeVisible();
  await expect(page.getByRole('link', { name: 'Sign in', exact: true })).toBeVisible();
  await expect(page).toHaveURL(`${demo.portalUrl}/`);
  await page.context().close();
  await operator.goto(`${origin}/portal/people`);
  await operator.getByLabel('Find by name').fill('passer.one');
  await expect(operator.getByText('Nobody is called so.')).toBeVisible();

  await operator.goto(`${origin}/portal/teams`);
  await operator.getByLabel('A new team is called').fill('Others passing');
  await operator.getByRole('button', { name: 'Make it' }).click();
  const other = await join('passer.two');
  await operator.goto(`${origin}/portal/people`);
  await operator.getByLabel('Find by name').fill('passer.two');
  const row = operator.getByRole('row', { name: /passer\.two/ });
  await row.getByRole('button', { name: 'take away' }).click();
  await operator.getByRole('dialog').getByRole('button', { name: 'Take it away' }).click();
  await expect(row).toHaveCount(0);
  await other.reload();
  await expect(other.getByRole('link', { name: 'Sign in', exact: true })).toBeVisible();
  await other.context().close();
});
