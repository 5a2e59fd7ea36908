import { expect, test } from './demo';

test('only one network gets in: said, seen at once who is out, published, and refused with its reason', async ({ console: page, demo }) => {
  await page.getByRole('link', { name: 'Addresses' }).click();
  await expect(page.getByRole('heading', { name: 'Addresses' })).toBeVisible();
  // The tester answers from the draft, the hop's word included.
  await page.getByLabel('What x-forwarded-for says').fill('192.0.2.7, 203.0.113.54');
  await page.getByRole('button', { name: 'Ask the draft' }).click();
  await expect(page.getByText('It counts as coming from 203.0.113.54')).toBeVisible();
  await expect(page.getByRole('row', { name: /refused.*POST \/gates\/\{gateId\}\/positions/ })).toBeVisible();
  // A rule for a whole API, in its dialog: the sentence, a mistake in words, a useless entry, and being shut out oneself.
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Meter readings' }).click();
  await page.getByRole('button', { name: 'from where' }).first().click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('radio', { name: 'only these may call' }).check();
  const list = dialog.getByLabel('Addresses, networks and names of networks, one a line');
  await list.fill('198.51.100.7/24');
  await list.blur();
  await expect(dialog.getByText('the network is 198.51.100.0/24')).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await list.fill('field works\n198.51.100.24');
  await list.blur();
  await expect(dialog.getByText('Only field works and 198.51.100.24 may call.')).toBeVisible();
  await expect(dialog.getByText('198.51.100.24 does nothing: it lies in field works (198.51.100.0/24).')).toBeVisible();
  await expect(dialog.getByText('You are here from 127.0.0.1: calls of yours from there would be refused.')).toBeVisible();
  await dialog.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(dialog).toBeHidden();
  // Before it is live: the probe of the draft, from inside and from outside.
  await page.keyboard.press('`');
  await page.getByLabel('Path and query').fill('/readings/meters/M-100/daily-volumes');
  await page.getByLabel('from', { exact: true }).fill('198.51.100.24');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText('It comes from 198.51.100.24, which lies in field works (198.51.100.0/24).')).toBeVisible();
  await page.getByLabel('from', { exact: true }).fill('203.0.113.9');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText('It comes from 203.0.113.9; only field works, 198.51.100.24 may call.').first()).toBeVisible();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Publish' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Publish' }).click();
  await expect(page.getByText(/Release \d+ is live/)).toBeVisible();
  const status = async (address: string) =>
    (await fetch(`${demo.gatewayUrl}/readings/meters/M-100/daily-volumes`, { headers: { 'x-forwarded-for': address } })).status;
  expect([await status('198.51.100.24'), await status('203.0.113.9'), await status('203.0.113.9, 198.51.100.24')]).toEqual([200, 403, 200]);
  // The refusal leads to its rule.
  await page.goto(`${new URL(page.url()).origin}/traces?outcome=refused&step=address`);
  await page
    .getByRole('link', { name: /daily-volumes/ })
    .first()
    .click();
  await expect(page.getByRole('heading', { name: 'Why it stopped at Address' })).toBeVisible();
  await expect(page.getByText('Meter readings, for all its operations: from where it may be called')).toBeVisible();
});
