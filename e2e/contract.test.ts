import { expect, test } from './demo';

// The demo is shared with other files, which begin with what is live.
test.afterEach(async ({ demo }) => {
  await fetch(`${demo.controlUrl}/draft/discard`, { method: 'POST', headers: { authorization: `Bearer ${demo.controlToken}` } });
});

test('the contract screen says what is checked and what differs; a deviation leads to its rule, its trace and the probe', async ({ console: page }) => {
  await page.getByRole('link', { name: 'Contract', exact: true }).click();
  const standing = page.getByRole('table', { name: 'What of each contract is checked' });
  await expect(standing.getByRole('row', { name: /Headgates/ }).getByRole('img', { name: 'the body: off' })).toBeVisible();
  await expect(standing.getByRole('row', { name: /Meter readings/ }).getByRole('img', { name: 'the body of the answer: only observes' })).toBeVisible();
  await expect(standing.getByRole('row', { name: /Allotments/ }).getByRole('img', { name: 'the body: refuses' })).toBeVisible();
  // What the meters say too much is found from traffic alone.
  await standing
    .getByRole('button', { name: /^the body of the answer: only observes; of .* differed$/ })
    .first()
    .click();
  await expect(page).toHaveURL(/part=contract-answer/);
  await page.getByRole('link', { name: /\/meters, .*no member “keeper”/ }).click();
  const detail = page.getByRole('complementary', { name: 'This deviation' });
  await expect(detail.getByText('The contract wants no member “keeper”')).toBeVisible();
  await expect(detail.getByRole('link', { name: /\/components\/schemas\/Meter\/additionalProperties, line \d+/ })).toBeVisible();
  await detail.getByRole('button', { name: 'its request in the probe' }).click();
  await expect(page.getByLabel('Path and query')).toHaveValue('/readings/meters');
  await page.keyboard.press('`');
  await detail.getByRole('link', { name: 'the last trace' }).click();
  await expect(page.getByText('Answer by contract').first()).toBeVisible();
});

test('a contract accepts what deviated: shown as a difference, then in the draft; what is checked is set with its counts in sight', async ({
  console: page,
}) => {
  await page.goto(`${new URL(page.url()).origin}/contract`);
  await page.getByRole('link', { name: /\/meters, .*no member “keeper”/ }).click();
  await page.getByRole('button', { name: 'Let the contract accept this' }).click();
  await expect(page.getByText('The contract then names the member keeper.')).toBeVisible();
  await expect(page.getByLabel('What changes in the contract')).toContainText('keeper: {}');
  await page.getByRole('button', { name: 'Take it into the draft' }).click();
  await expect(page.getByText('The contract of the draft accepts it now')).toBeVisible();
  await expect(page.getByText('1 change')).toBeVisible();

  const row = page.getByRole('row', { name: /Meter readings/ });
  await row.getByRole('button', { name: 'change' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('link', { name: /would have refused .* of .* answers/ })).toBeVisible();
  await dialog.getByRole('button', { name: 'refuse requests that differ' }).click();
  await expect(dialog.getByRole('radio', { name: 'the query, refuses' })).toBeChecked();
  await expect(dialog.getByRole('radio', { name: 'the body of the answer, only observes' })).toBeChecked();
  await dialog.getByLabel('Bytes of a body that are held').fill('12');
  await expect(dialog.getByText(/A whole number from 1.024 to/)).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await dialog.getByLabel('Bytes of a body that are held').fill('65536');
  await dialog.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(row.getByRole('img', { name: 'the query: refuses' })).toBeVisible();
  // One operation keeps its own.
  await page.goto(`${new URL(page.url()).origin}/apis`);
  await page.getByRole('link', { name: 'Meter readings', exact: true }).click();
  await expect(page).toHaveURL(/\/apis\/[0-9a-f]+$/);
  await page.goto(`${page.url()}/operations/${encodeURIComponent('GET /meters')}`);
  await page.getByRole('button', { name: 'what of the contract is checked' }).click();
  await page.getByRole('radio', { name: 'the query, only observes' }).check();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('row', { name: /Query by contract/ }).getByRole('button', { name: 'observes' })).toBeVisible();
  await page.getByRole('link', { name: 'Compare' }).click();
  await expect(page.getByText(/what of the contract is checked changed/).first()).toBeVisible();
});

test('paths that no operation matches are let through by prefix', async ({ console: page }) => {
  await page.goto(`${new URL(page.url()).origin}/apis`);
  await page.getByRole('link', { name: 'Meter readings', exact: true }).click();
  await page.getByRole('navigation', { name: 'Parts of the API' }).getByRole('link', { name: 'Contract', exact: true }).click();
  await page.getByRole('button', { name: 'paths without an operation' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: 'say something for a prefix' }).click();
  await dialog.getByLabel('Prefix 2', { exact: true }).fill('old/');
  await expect(dialog.getByText(/A prefix begins with a slash/)).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await dialog.getByLabel('Prefix 2', { exact: true }).fill('/old');
  await dialog.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(dialog).toBeHidden();
  await page.getByRole('button', { name: 'paths without an operation' }).click();
  await expect(dialog.getByLabel('Prefix 2', { exact: true })).toHaveValue('/old');
});
