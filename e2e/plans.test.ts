import { readFileSync } from 'node:fs';
import { axeOf, faultsOf } from './accessibility';
import { expect, test } from './demo';

// The demo is shared with other files, which begin with what is live.
test.afterEach(async ({ demo }) => {
  await fetch(`${demo.controlUrl}/draft/discard`, { method: 'POST', headers: { authorization: `Bearer ${demo.controlToken}` } });
});

test('a customer is let in with a key and a plan, its limits are seen, its key is rotated and a leaked one stopped', async ({ console: page, demo }) => {
  const origin = new URL(page.url()).origin;
  // From a network that may call whichever file was before this one.
  const from = { 'x-forwarded-for': '198.51.100.24' };
  const call = (key: string) => fetch(`${demo.gatewayUrl}/readings/basin-volumes`, { headers: { 'x-basin-key': key, ...from } });
  const codeOf = async (key: string): Promise<string> => {
    const id = (await call(key)).headers.get('x-request-id') ?? '';
    let code = '';
    await expect
      .poll(async () => {
        const trace = await fetch(`${demo.controlUrl}/traces/${id}`, { headers: { authorization: `Bearer ${demo.controlToken}` } });
        code = trace.ok ? ((await trace.json()) as { code: string }).code : '';
        return code;
      })
      .not.toBe('');
    return code;
  };
  await page.getByRole('link', { name: /^Clients/ }).click();
  await page.getByRole('button', { name: 'Add a client' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Canal café');
  await page.getByLabel('Roles').fill('open-data');
  await page.getByRole('button', { name: 'Add it' }).click();
  await page.getByRole('button', { name: 'Give it a proof' }).click();
  await page.getByLabel('What you call it').fill('menu');
  await page.getByRole('button', { name: 'Give it, at once' }).click();
  const key = (await page.locator('[data-secret]').textContent())?.trim() ?? '';
  await page.getByRole('button', { name: 'I have put it away' }).click();
  // The operation only observes yet: whoever it would refuse is told of to the operator alone.
  expect(await codeOf(key)).toBe('plan.no-subscription');

  await page.getByRole('button', { name: 'give it a plan' }).click();
  await page.getByLabel('Plan', { exact: true }).selectOption({ label: 'Open data' });
  await page.getByRole('dialog').getByRole('button', { name: 'Give it, at once' }).click();
  await expect(page.getByRole('row', { name: /Open data.*active/ })).toBeVisible();
  expect(await codeOf(key)).toBe('upstream.answered');
  const limits = page.getByLabel('Limits now');
  await expect(limits.getByText(/[1-9] of 2\u202f000 used/)).toBeVisible();
  // What it opens, decided by the gateway's own code.
  await expect(page.getByRole('table', { name: 'What it opens' }).getByRole('link', { name: 'GET /readings/basin-volumes' })).toBeVisible();
  for (let tries = 0; tries < 8; tries++) await call(key);
  expect(await codeOf(key)).toBe('limit.rate');
  await expect(limits.getByText(/(?:[6-9]|1\d) of 2\u202f000 used/)).toBeVisible();

  const use = page.getByLabel('Its use');
  const refused = use.getByRole('row', { name: /would have been refused.*Limits.*Too many requests/ });
  await expect(refused).toBeVisible({ timeout: 20_000 });
  await use.getByRole('button', { name: 'as a table' }).click();
  await expect(use.getByRole('columnheader', { name: 'From' })).toBeVisible();
  const file = page.waitForEvent('download');
  await use.getByRole('button', { name: 'as CSV' }).click();
  const lines = readFileSync(await (await file).path(), 'utf8').split('\n');
  expect(lines[0]).toBe('of,what,passed,would-be-refused,refused');
  expect(lines.some((line) => /^reason,limit\.rate,,,\d+$/.test(line) || /^reason,limit\.rate,,\d+,$/.test(line))).toBe(true);

  await page.getByRole('button', { name: 'suspend' }).click();
  await expect(page.getByRole('row', { name: /Open data.*suspended/ })).toBeVisible();
  expect(await codeOf(key)).toBe('plan.suspended');
  await page.getByRole('button', { name: 'resume' }).click();
  await expect(page.getByRole('row', { name: /Open data.*active/ })).toBeVisible();

  await page.getByRole('button', { name: 'rotate' }).click();
  await page.getByRole('button', { name: 'Make the new one' }).click();
  const fresh = (await page.locator('[data-secret]').textContent())?.trim() ?? '';
  await page.getByRole('button', { name: 'I have put it away' }).click();
  await expect(page.getByText('another takes its place')).toBeVisible();
  for (const one of [key, fresh]) expect(await codeOf(one)).not.toMatch(/^key\./);

  for (const unread of ['{ "tier": ', '{ "tier": 2, "tier": 3 }']) {
    await page.getByLabel('Metadata, JSON').fill(unread);
    await page.getByRole('button', { name: 'Save, at once' }).click();
    await expect(page.getByText('Metadata is one JSON object, with no member twice')).toBeVisible();
    await page.getByLabel('Metadata, JSON').fill('{}');
    await expect(page.getByText('Metadata is one JSON object')).toBeHidden();
  }
  await page.getByLabel('Metadata, JSON').fill('{ "tier": 2 }');
  await page.getByRole('button', { name: 'Save, at once' }).click();
  await expect(page.getByText(/In force on/).first()).toBeVisible();

  await page.goto(`${origin}/leaks`);
  await page.getByLabel('Paste a log, a difference, a message').fill(`GET /x 200\nx-basin-key: ${fresh}\nvrk_notakey`);
  await page.getByRole('button', { name: 'Look for keys' }).click();
  await expect(page.getByRole('row', { name: /menu.*Canal café/ })).toBeVisible();
  await expect(page.getByText('1 that only begins like a key')).toBeVisible();
  await page.getByRole('button', { name: 'revoke at once' }).click();
  await expect(page.getByRole('row', { name: /menu.*revoked/ })).toBeVisible();
  expect(await codeOf(fresh)).toBe('key.revoked');
});

test('a plan is made, told of as incomplete, and set into the draft; limits are edited as sentences', async ({ console: page }) => {
  await page.getByRole('link', { name: 'Plans', exact: true }).click();
  await expect(page.getByRole('row', { name: /School of the canal.*waits for approval/ })).toBeVisible();
  await page.getByRole('button', { name: 'Make a plan' }).click();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('A plan needs a name')).toBeVisible();
  await page.getByLabel('Name', { exact: true }).fill('Night work');
  await page.getByLabel('a quota').check();
  await page.getByLabel('in the time zone').fill('Nowhere');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText(/the name of a time zone/)).toBeVisible();
  await page.getByLabel('in the time zone').fill('Europe/Lisbon');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('Night work opens nothing: choose an API, or operations of one.')).toBeVisible();
  await page.getByRole('checkbox', { name: /^Headgates/ }).check();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('Headgates asks for no plan, so it limits nobody yet.')).toBeVisible();
  await page.getByLabel('Operations of Headgates').selectOption('some');
  await page.getByRole('checkbox', { name: 'GET /gates', exact: true }).check();
  expect(await faultsOf(axeOf(page).disableRules(['color-contrast']))).toEqual([]);
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText(/^[1-9] changes?$/)).toBeVisible();

  await page.getByRole('link', { name: 'Limits', exact: true }).click();
  await page.getByRole('button', { name: 'add a limit' }).click();
  const limit = page.getByRole('group', { name: 'Limit a minute' });
  await limit.getByLabel('Requests').fill('90');
  await limit.getByLabel('of', { exact: true }).selectOption('header');
  await limit.getByLabel('Header').fill('X-Team');
  await expect(limit.getByText('90 requests in the minute that ends now, with each value of the header x-team.')).toBeVisible();
  await limit.getByLabel('Requests').fill('0');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText(/must not be less than 1/)).toBeVisible();
  await limit.getByLabel('Requests').fill('90');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByText('Set in the draft').last()).toBeVisible();
});

test('a list of clients is looked at before it is taken in, all of it or none', async ({ console: page }) => {
  await page.getByRole('link', { name: /^Clients/ }).click();
  await page.getByRole('button', { name: 'take a list in' }).click();
  const text = page.getByLabel('CSV, the first line names the columns');
  await text.fill('name,owner,key\nBarge one,Fleet,new\n,nobody,');
  await page.getByRole('button', { name: 'Look at it' }).click();
  await expect(page.getByText('name: A client needs a name')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Take all of it in' })).toBeDisabled();
  // A file that was mended is taken again under the name that it had.
  const file = page.getByLabel('CSV file of clients');
  for (const last of ['', 'Barge two,Fleet,']) {
    await file.setInputFiles({ name: 'fleet.csv', mimeType: 'text/csv', buffer: Buffer.from(`name,owner,key\nBarge one,Fleet,new\n${last}`) });
    await expect(text).toHaveValue(`name,owner,key\nBarge one,Fleet,new\n${last}`);
    expect(await file.inputValue()).toBe('');
  }
  await page.getByRole('button', { name: 'Look at it' }).click();
  await page.getByRole('button', { name: 'Take all of it in' }).click();
  await expect(page.getByText('1 key was made', { exact: false })).toBeVisible();
  const close = page.getByRole('button', { name: 'I have put them away' });
  await expect(close).toBeDisabled();
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Take the keys as a file' }).click();
  expect((await download).suggestedFilename()).toBe('keys.csv');
  await close.click();
  await expect(page.getByText('Barge two')).toBeVisible();
});
