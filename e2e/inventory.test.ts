import { readFileSync } from 'node:fs';
import { axeOf, faultsOf } from './accessibility';
import { expect, test } from './demo';

// The demo is shared with other files, which begin with what is live.
test.afterEach(async ({ demo }) => {
  await fetch(`${demo.controlUrl}/draft/discard`, { method: 'POST', headers: { authorization: `Bearer ${demo.controlToken}` } });
});

test('what is seen and in no contract is found, reviewed and taken, and nobody gets in by leaving something out', async ({ console: page }) => {
  await page.getByRole('link', { name: 'Inventory', exact: true }).click();
  await expect(page.getByRole('button', { name: /2 seen, in no contract/ })).toBeVisible();
  const readings = page.getByRole('region', { name: /Meter readings/ });
  await expect(readings.getByRole('link', { name: 'GET /v0/export, seen, in no contract' })).toBeVisible();
  await page.getByRole('button', { name: /seen, in no contract/ }).click();
  await expect(page).toHaveURL(/kind=undocumented/);
  await expect(page.getByRole('region', { name: /\d\.\d\.\d/ })).toHaveCount(1);
  // By keyboard alone.
  await page.getByRole('link', { name: /GET \/v0\/export/ }).focus();
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('link', { name: /GET \/v0\/meters\/\{meterId\}\/raw/ })).toBeFocused();
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Enter');
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByText('was seen and is in no contract')).toBeVisible();
  await expect(dialog.getByRole('row', { name: /keepers.*list|keepers array/ })).toBeVisible();
  await expect(dialog.getByText(/velmora\.example/)).toHaveCount(0);
  // The API as a whole asks nobody, so what is taken asks for the scheme that most operations ask for.
  await expect(dialog.getByLabel('Who may call it:')).toHaveValue('scheme trust');
  const diff = dialog.getByLabel('What changes in the contract');
  await expect(diff).toContainText('/v0/export:');
  await expect(diff).toContainText('name: format');
  await dialog.getByRole('checkbox', { name: 'Take query format' }).uncheck();
  await expect(diff).not.toContainText('name: format');
  expect(await faultsOf(axeOf(page).include('[role="dialog"]').disableRules(['color-contrast']))).toEqual([]);
  await dialog.getByRole('button', { name: 'Take it into the draft' }).click();
  await expect(page.getByText('The contract of the draft has it now')).toBeVisible();
  await expect(page.getByText(/^[1-9] changes?$/)).toBeVisible();
  await page.getByRole('button', { name: /in a contract, never seen/ }).click();
  await page.getByRole('button', { name: /seen, in no contract/ }).click();
  const taken = page.getByRole('link', { name: 'GET /v0/export, in a contract, never seen' });
  await expect(taken).toBeVisible();
  await expect(page.getByText('(draft)').first()).toBeVisible();
});

test('an operation that was learned is written by hand, or dismissed and stays so', async ({ console: page }) => {
  await page.goto(`${new URL(page.url()).origin}/inventory?kind=undocumented`);
  await page.getByRole('link', { name: /GET \/v0\/meters/ }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: 'write it by hand' }).click();
  const editor = dialog.getByLabel('The operation');
  await editor.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText('summary: only a summary');
  await expect(dialog.getByText(/An operation has responses/)).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Take it into the draft' })).toBeDisabled();
  await dialog.getByRole('button', { name: 'take what was learned again' }).click();
  await expect(dialog.getByRole('button', { name: 'Take it into the draft' })).toBeEnabled();
  await dialog.getByRole('button', { name: /dismiss it/ }).click();
  await expect(page.getByText('Dismissed; it stays so')).toBeVisible();
  await expect(page.getByRole('link', { name: /GET \/v0\/meters/ })).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole('link', { name: /GET \/v0\/export/ })).toBeVisible();
  await expect(page.getByRole('link', { name: /GET \/v0\/meters/ })).toHaveCount(0);
  await page.getByLabel('with dismissed').click();
  await page.getByRole('link', { name: /GET \/v0\/meters.*dismissed/ }).click();
  await dialog.getByRole('button', { name: 'list it again' }).click();
  await expect(page.getByText('It is listed again')).toBeVisible();
});

test('sensitive data leads to who got it, and to its rule; detectors are tried on a text', async ({ console: page }) => {
  await page.getByRole('link', { name: 'Sensitive data', exact: true }).click();
  await page.getByRole('link', { name: /E-mail address, GET \/v0\/export, in the answer/ }).click();
  const detail = page.getByRole('complementary', { name: 'This finding' });
  await expect(detail.getByText('m-***@*******.*******')).toBeVisible();
  await expect(detail.getByRole('link', { name: '203.0.113.200' })).toBeVisible();
  await expect(page.getByText(/@velmora/)).toHaveCount(0);
  await detail.getByRole('button', { name: 'change' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('E-mail address in answers').selectOption('masked');
  await dialog.getByLabel('Bytes of a body that are held').fill('7');
  await expect(dialog.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await dialog.getByLabel('Bytes of a body that are held').fill('65536');
  await dialog.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('row', { name: /Meter readings.*E-mail address told of in requests, masked in answers/ })).toBeVisible();
  await expect(detail.getByText('masked before it leaves')).toBeVisible();

  await page.getByRole('button', { name: 'detectors of one’s own' }).click();
  await page.getByRole('button', { name: 'add one' }).click();
  const pattern = page.getByLabel('Pattern of detector 2');
  await page.getByLabel('Name of detector 2').fill('Meter');
  await pattern.fill('(?=M)');
  await expect(page.getByText(/cannot be matched in bounded time/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await pattern.fill('M-[0-9]{3}');
  await page.getByLabel(/A text to try them on/).fill('{"meter": "M-217", "mail": "ada@orchard.example"}');
  await page.getByRole('button', { name: 'Try all detectors on it' }).click();
  await expect(page.getByRole('status').getByText('E-mail address at /mail: a**@*******.*******')).toBeVisible();
  await page.getByRole('dialog').getByRole('button', { name: 'try it' }).nth(1).click();
  await expect(page.getByRole('status').getByText('The pattern at /meter: *-***')).toBeVisible();
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('dialog')).toHaveCount(0);
});

test('the contract is edited in place: help and problems while typing, what differs from live, and then the draft', async ({ console: page }) => {
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Meter readings', exact: true }).click();
  await page.getByRole('navigation', { name: 'Parts of the API' }).getByRole('link', { name: 'Contract', exact: true }).click();
  await page.getByRole('button', { name: 'edit it here' }).click();
  await expect(page.getByText('6 operations, no error')).toBeVisible();
  const editor = page.getByLabel('Contract', { exact: true });
  await editor.click();
  await page.keyboard.press('Control+Home');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await page.keyboard.type('summ');
  // The list is drawn anew while it is filled, which can take it from under the pointer.
  await expect(async () => {
    await page.getByRole('option', { name: /summary/ }).click({ timeout: 3000 });
    await expect(editor).toContainText('info:  summary', { timeout: 2000 });
  }).toPass();
  await page.keyboard.type('Readings of all meters');
  await page.getByRole('button', { name: 'what differs from live' }).click();
  await expect(page.getByLabel('Against what is live')).toContainText('summary: Readings of all meters');
  await editor.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.insertText('\n  not: [closed');
  await expect(editor).toContainText('[closed');
  // Read by a thread that a busy machine may keep waiting.
  await expect(page.getByText(/one error|errors/).first()).toBeVisible({ timeout: 30_000 });
  await expect(page.getByRole('button', { name: 'Take it into the draft' })).toBeDisabled();
  // Nothing typed is lost without a word.
  await page.getByRole('link', { name: 'Reference', exact: true }).click();
  await expect(page.getByText('What you typed here is not saved.')).toBeVisible();
  await page.getByRole('button', { name: 'Stay' }).click();
  await editor.click();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('6 operations, no error')).toBeVisible();
  await page.getByRole('button', { name: 'Take it into the draft' }).click();
  await expect(page.getByText('Taken into the draft')).toBeVisible();
  await expect(page.getByText(/^[1-9] changes?$/)).toBeVisible();
});

test('reference pages come from the contract, with the probe to try; hidden is not closed', async ({ console: page }) => {
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Allotments', exact: true }).click();
  await page.getByRole('link', { name: 'Reference', exact: true }).click();
  await page
    .getByRole('navigation', { name: 'Operations' })
    .getByRole('link', { name: /Pass a right on/ })
    .click();
  await expect(page.getByRole('cell', { name: 'cubicMetres *' })).toBeVisible();
  await page.getByRole('button', { name: 'try it in the probe' }).click();
  await expect(page.getByLabel('Path and query')).toHaveValue('/allotments/transfers');
  await page.keyboard.press('Escape');
  await page.getByRole('checkbox', { name: /Leave it out of the pages/ }).click();
  await expect(page.getByText(/^[1-9] changes?$/)).toBeVisible();
  await expect(page.getByRole('navigation', { name: 'Operations' }).getByText('(hidden)')).toBeVisible();
});

test('drift is told field by field, and the contract with what is enforced can be kept', async ({ console: page }) => {
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Meter readings', exact: true }).click();
  await page.getByRole('link', { name: 'Contract and traffic' }).click();
  await expect(page.getByRole('row', { name: /\/meters.*answer 200.*keeper.*is not described/ })).toBeVisible();
  await expect(page.getByRole('row', { name: /\/basin-volumes.*only observe/ })).toBeVisible();
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'it with what is really enforced' }).click();
  expect((await download).suggestedFilename()).toBe('Meter readings as enforced.yaml');
  const newer = page.waitForEvent('download');
  await page.getByRole('button', { name: 'it as OpenAPI 3.1' }).click();
  expect((await newer).suggestedFilename()).toBe('Meter readings as OpenAPI 3.1.yaml');
  expect(readFileSync(await (await newer).path(), 'utf8')).toMatch(/^openapi: 3\.1\./m);
});
