import { expect, test } from './demo';

test('a rule that is broken in the draft stops its release: what got in is named, mended, and the rest is tried again', async ({ console: page, demo }) => {
  const call = (method: string, path: string, body?: unknown) =>
    fetch(`${demo.controlUrl}${path}`, {
      method,
      headers: { authorization: `Bearer ${demo.controlToken}`, 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
  await page.getByRole('link', { name: 'Trials' }).click();
  await expect(page.getByText('Nothing got through.')).toBeVisible();
  // A request is saved from the probe, to be tried from now on.
  await page.keyboard.press('`');
  await page.getByLabel('Path and query').fill('/headgates/gates/G-4/positions');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await page.getByRole('button', { name: 'Save it as a trial' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Name').fill('nobody reads its moves');
  await expect(dialog.getByRole('radio', { name: 'it must stay refused' })).toBeChecked();
  await dialog.getByRole('button', { name: 'Save' }).click();
  await expect(dialog).toBeHidden();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('row', { name: /nobody reads its moves/ })).toBeVisible();

  // By mistake everybody may read its moves: nothing else is asked there, by no condition that hangs on the hour, whatever file was before.
  const { items } = (await (await call('GET', '/apis')).json()) as { items: { id: string; name: string }[] };
  const gates = items.find(({ name }) => name === 'Headgates')?.id ?? '';
  await call('PATCH', `/apis/${gates}/operations`, { ids: ['GET /gates/{gateId}/positions'], access: { kind: 'public' } });
  await page.getByRole('button', { name: 'Publish' }).click();
  const before = page.getByRole('dialog');
  await expect(before.getByText(/2 of [\d\u202f]+ trials got through/)).toBeVisible();
  await expect(before.getByRole('region', { name: 'Reach' }).getByText(/more:/)).toBeVisible();
  await expect(before.getByRole('region', { name: 'Reach' }).getByText(/nobody/)).toBeVisible();
  await expect(before.getByText(/cases of authorizers hold/)).toBeVisible({ timeout: 30_000 });
  const publish = before.getByRole('button', { name: 'Publish' });
  await expect(publish).toBeDisabled();
  await before.getByRole('checkbox', { name: /Headgates GET \/headgates\/gates\/\{gateId\}\/positions: no credential/ }).check();
  await expect(publish).toBeDisabled();
  await before.getByRole('checkbox', { name: /saved: nobody reads its moves/ }).check();
  await expect(publish).toBeEnabled();
  // All of it is in sight at once.
  const [box, content] = [
    await before.getByRole('region', { name: 'Begins to refuse' }).boundingBox(),
    await page.locator('.MuiDialogContent-root').evaluate((element) => element.scrollHeight - element.clientHeight),
  ];
  expect([(box?.y ?? 9999) < 760, content]).toEqual([true, 0]);
  await before.getByRole('button', { name: 'Not yet' }).click();
  await page.goto(`${demo.consoleUrl}/trials?result=fails`);
  await expect(page.getByRole('link', { name: /Headgates GET \/headgates\/gates\/\{gateId\}\/positions: no credential: got through/ })).toBeVisible();
  // Mended, nothing gets in.
  await call('POST', '/draft/discard');
  await page.goto(`${demo.consoleUrl}/trials`);
  await expect(page.getByText('Nothing got through.')).toBeVisible();
  await page
    .getByRole('row', { name: /nobody reads its moves/ })
    .getByRole('button', { name: 'take away' })
    .click();
  await page.getByRole('dialog').getByRole('button', { name: 'Take it away' }).click();
  await expect(page.getByText('None yet.', { exact: false })).toBeVisible();
});

test('a trace says what would have let it through, and what a passed one is let in by', async ({ console: page, demo }) => {
  await page.goto(`${demo.consoleUrl}/traces?outcome=refused&step=authorizer`);
  await page.locator('.vrow a').first().click();
  await page.getByRole('button', { name: 'What would let it through?' }).click();
  await expect(page.getByText(/among sections of the token|the role dispatcher|in the path|the header x-crew/).first()).toBeVisible({ timeout: 20_000 });
  await page.goto(`${demo.consoleUrl}/traces?outcome=passed&text=/headgates/gates/`);
  await page.locator('.vrow a').first().click();
  await page.getByRole('button', { name: 'What holds it?' }).click();
  await expect(page.getByText(/Without the (token|scope)/).first()).toBeVisible({ timeout: 20_000 });
});
