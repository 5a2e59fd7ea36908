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
  await page.getByRole('link', { name: 'Meter readings', exact: true }).click();
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

test('a condition is written with help, tried, published, and what it refuses is said with what it saw', async ({ console: page, demo }) => {
  await page.getByRole('link', { name: 'Conditions' }).click();
  await page.getByRole('button', { name: 'write a condition' }).click();
  await page.getByLabel('Name').last().fill('by field staff');
  const shared = page.getByLabel('Condition by field staff');
  await shared.click();
  await page.keyboard.type('request.head');
  // What is offered is taken with Enter, as in any editor.
  await expect(page.getByRole('option', { name: /^headers/ })).toBeVisible();
  // The editor takes no answer within 75 ms of its question, so that nobody answers by accident.
  await page.waitForTimeout(300);
  await page.keyboard.press('Enter');
  await expect(shared).toContainText('request.headers');
  await page.keyboard.type('["X-Crew"] == "south"');
  await expect(page.getByText('Line 1, column 16: names of header fields are in lower case here: x-crew')).toBeVisible();
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('request.headers["x-crew"] == "south"');
  await page.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(page.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();

  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Meter readings', exact: true }).click();
  await page.getByRole('link', { name: /GET \/meters\/\{meterId\}\/daily-volumes/ }).press('Enter');
  await page.getByRole('button', { name: 'on what conditions' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('checkbox', { name: /as the API says/ }).uncheck();
  await dialog.getByRole('button', { name: 'put in by field staff' }).click();
  await dialog.getByRole('button', { name: 'write a condition' }).click();
  await dialog.getByLabel('Name').fill('own meters');
  await dialog.getByLabel('Condition own meters').click();
  await page.keyboard.type('request.parameters.meter.startsWith("M-")');
  await expect(dialog.getByText('request.parameters has no member meter; it has meterId').first()).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Set in the draft' })).toBeDisabled();
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('request.parameters.meterId.startsWith("M-")');
  await page.keyboard.type(' && request.method != "get"');
  await expect(dialog.getByText(/No request is so\. Line 1, column \d+: methods are in capitals: GET\./)).toBeVisible();
  const tried = dialog.getByRole('list', { name: 'What the conditions come to' }).getByRole('listitem');
  await expect(tried.first()).toContainText('by field staff comes to no answer and refuses');
  await expect(tried.last()).toContainText('own meters does not hold: request.parameters.meterId.startsWith("M-") is false');
  await dialog.getByRole('button', { name: 'take them from the last request that came' }).click();
  await expect(tried.last()).toContainText('own meters holds');
  await dialog.getByRole('button', { name: 'Set in the draft' }).click();
  await expect(dialog).toBeHidden();
  await expect(page.getByRole('row', { name: /Condition.*by field staff: request\.headers\["x-crew"\] == "south"/ })).toBeVisible();

  await page.getByRole('button', { name: 'Publish' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Publish' }).click();
  await expect(page.getByText(/Release \d+ is live/)).toBeVisible();
  const status = async (headers: Record<string, string>) =>
    (await fetch(`${demo.gatewayUrl}/readings/meters/M-100/daily-volumes`, { headers: { 'x-forwarded-for': '198.51.100.24', ...headers } })).status;
  expect([await status({ 'x-crew': 'south' }), await status({ 'x-crew': 'north' }), await status({})]).toEqual([200, 403, 403]);
  await page.goto(`${new URL(page.url()).origin}/traces?outcome=refused&step=condition`);
  await page
    .getByRole('link', { name: /daily-volumes/ })
    .last()
    .click();
  await expect(page.getByRole('heading', { name: 'Why it stopped at Condition' })).toBeVisible();
  await expect(page.getByText('request.headers.x-crew: north').first()).toBeVisible();
});

test('a condition reads the body: its members are offered, a wrong name is told, the probe sends one and says what would do', async ({ console: page }) => {
  await page.getByRole('link', { name: /^APIs/ }).click();
  await page.getByRole('link', { name: 'Headgates', exact: true }).click();
  await page.getByRole('link', { name: /POST \/gates\/\{gateId\}\/positions/ }).press('Enter');
  await expect(page.getByRole('row', { name: /Condition.*wide by dispatchers: .*, once the body has come/ })).toBeVisible();
  await page.getByRole('button', { name: 'on what conditions' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Condition wide by dispatchers').click();
  await page.keyboard.press('ControlOrMeta+End');
  await page.keyboard.type(' && request.body.');
  await expect(page.getByRole('option', { name: /opening/ })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.keyboard.type('reson != ""');
  await expect(dialog.getByText('The contract names no reson in the body.')).toBeVisible();
  await page.keyboard.type(' && request.body.opening + 1 < 60');
  await expect(
    dialog.getByText(/It does not fit the types that the contract gives\. Line 1, column \d+: \+ does not go with double and int; a whole number/),
  ).toBeVisible();
  const tried = dialog.getByRole('list', { name: 'What the conditions come to' }).getByRole('listitem');
  // What it is tried with has a body as the contract describes it.
  await expect(dialog.getByRole('textbox', { name: 'Values to try it with' })).toContainText('"opening": 1');
  await expect(tried.last()).toContainText('wide by dispatchers holds');
  await dialog.getByRole('button', { name: 'Leave it' }).click();

  await page.keyboard.press('`');
  await page.getByLabel('Method', { exact: true }).selectOption('POST');
  await page.getByLabel('Path and query').fill('/headgates/gates/G-4/positions');
  await page.getByLabel('Who sends it').selectOption({ label: 'Workshop, may operate gates' });
  await page.getByLabel('from', { exact: true }).fill('192.0.2.7');
  await page.getByRole('textbox', { name: 'Body' }).fill('{ "opening": 75, "reason": "evening turn" }');
  await expect(page.getByText('goes as application/json, unless a header says otherwise')).toBeVisible();
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await page.getByRole('button', { name: /wide by dispatchers does not hold/ }).click();
  await expect(page.getByText('request.body.opening: 75').first()).toBeVisible();
  await page.getByRole('button', { name: 'What would let it through?' }).click();
  await expect(page.getByText('opening 60 in the body').first()).toBeVisible();
  await page.getByLabel('Headers, one a line').fill('content-type:');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText(/the body has no content type by which it could be read/).first()).toBeVisible();
  await page.getByLabel('Headers, one a line').fill('');
  await page.getByRole('textbox', { name: 'Body' }).fill('{ "opening": 60, "reason": "evening turn" }');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText('Would pass', { exact: true })).toBeVisible();
});

test('a table is made from CSV, named by a condition, and acts at once when a row is added', async ({ console: page, demo }) => {
  await page.getByRole('link', { name: 'Tables', exact: true }).click();
  await page.getByRole('button', { name: 'make a table' }).click();
  await page.getByLabel('Name').fill('closed-meters');
  await expect(page.getByText('It cannot be set yet: a name begins with a letter')).toBeVisible();
  await page.getByLabel('Name').fill('closed_meters');
  await page.getByRole('button', { name: 'as CSV' }).click();
  await page.getByLabel('CSV, the first line names the columns').fill('meter,why\nM-300,"sealed, twice"\nM-300,again');
  await page.getByRole('button', { name: 'Take these rows' }).click();
  await expect(page.getByText('meter "M-300" stands twice, the second time in row 2')).toBeVisible();
  await page.getByRole('button', { name: 'Drop row 2' }).click();
  await page.getByRole('button', { name: 'Set it now' }).click();
  await expect(page.getByText(/closed_meters is in force after/)).toBeVisible();
  await expect(page.getByLabel('why of row 1')).toHaveValue('sealed, twice');

  const { controlUrl, controlToken, gatewayUrl } = demo;
  const headers = { authorization: `Bearer ${controlToken}`, 'content-type': 'application/json' };
  const send = async (method: string, path: string, body: object) => {
    const answer = await fetch(controlUrl + path, { method, headers, body: JSON.stringify(body) });
    expect(answer.status).toBeLessThan(300);
  };
  const { items } = (await (await fetch(`${controlUrl}/apis`, { headers })).json()) as { items: { id: string; name: string }[] };
  const readings = items.find(({ name }) => name === 'Meter readings')?.id ?? '';
  const conditions = [{ kind: 'own', name: 'open meter', source: '!(request.parameters.meterId in resource.closed_meters)' }];
  await send('PATCH', `/apis/${readings}/operations`, { ids: ['GET /meters/{meterId}/daily-volumes'], conditions });
  await send('POST', '/releases', { note: 'closed meters' });
  const status = async (meter: string) =>
    (await fetch(`${gatewayUrl}/readings/meters/${meter}/daily-volumes`, { headers: { 'x-forwarded-for': '198.51.100.24' } })).status;
  expect([await status('M-300'), await status('M-301')]).toEqual([403, 200]);
  await page.reload();
  await expect(page.getByRole('row', { name: /closed_meters.*open meter/ })).toBeVisible();
  await page.getByRole('button', { name: 'add a row' }).click();
  await page.getByLabel('meter of row 2').fill('M-301 ');
  await expect(page.getByText('meter "M-301 " of row 2 has a blank at its end')).toBeVisible();
  await page.getByRole('button', { name: 'take all blanks at ends away' }).click();
  await page.getByRole('button', { name: 'Set it now' }).click();
  await expect(page.getByText(/closed_meters is in force after/)).toBeVisible();
  expect(await status('M-301')).toBe(403);
  await page.getByRole('button', { name: 'take the table away' }).click();
  await expect(page.getByText('open meter looks at it and will refuse every request from then on.')).toBeVisible();
  await page.getByRole('button', { name: 'Keep it' }).click();
  await page.getByRole('link', { name: 'Releases', exact: true }).click();
  await expect(page.getByText('Table closed_meters: set, 2 rows').first()).toBeVisible();
});

test('an authorizer is written, tried, called by an operation, published; its cases stop a release that they do not hold for', async ({
  console: page,
  demo,
}) => {
  await page.getByRole('link', { name: 'Authorizers', exact: true }).click();
  await expect(page.getByRole('row', { name: /own section/ })).toBeVisible();
  await page.getByRole('link', { name: 'make an authorizer' }).click();
  await page.getByLabel('Name', { exact: true }).fill('by crew');
  const write = async (source: string) => {
    await page.getByLabel('Script', { exact: true }).click();
    await page.keyboard.press('ControlOrMeta+A');
    await page.keyboard.insertText(source);
  };
  await write('function decide({ request }) { return { allow: request.heders["x-crew"] === "south" } }');
  await expect(page.getByText('Line 1, column 56: request has no member heders')).toBeVisible();
  await write('function decide({ request }) { return { allow: request.headers["x-crew"] === "south", reason: "the crew of another gate", tell: true } }');
  await expect(page.getByText('It can be used.')).toBeVisible();
  const addCase = async (name: string, input: string, expected: string) => {
    await page.getByRole('button', { name: 'add a case' }).click();
    await page.getByLabel('Name', { exact: true }).last().fill(name);
    await page.getByLabel('Expected').selectOption({ label: expected });
    await page.getByLabel(`Input of ${name}`).click();
    await page.keyboard.press('ControlOrMeta+A');
    await page.keyboard.insertText(input);
  };
  await addCase('the south crew', '{"request":{"headers":{"x-crew":"south"}}}', 'allowed');
  await expect(page.getByText('all hold')).toBeVisible({ timeout: 20_000 });
  await addCase('nobody', '{}', 'allowed');
  await expect(page.getByText('1 of 2 do not hold')).toBeVisible();
  await expect(page.getByText('allowed expected. The authorizer by crew denies it: the crew of another gate.')).toBeVisible();
  await page.getByRole('button', { name: 'Save to the draft' }).click();
  await expect(page.getByRole('heading', { name: 'by crew' })).toBeVisible();

  await page.getByRole('button', { name: 'let operations call it' }).click();
  await page.getByLabel('API', { exact: true }).selectOption({ label: 'Headgates' });
  await page.getByLabel('Filter operations').fill('get /gates/{gateid}');
  await page.getByRole('checkbox', { name: 'GET /gates/{gateId}', exact: true }).check();
  await page.getByRole('button', { name: 'Let 1 call it' }).click();
  await expect(page.getByRole('button', { name: 'GET /gates/{gateId} no longer calls it' })).toBeVisible();

  await page.getByRole('button', { name: 'Publish' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByText(/1 of \d+ cases of authorizers do not hold/)).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Publish' })).toBeDisabled();
  await dialog.getByRole('checkbox', { name: 'overrule by crew: nobody' }).check();
  await expect(dialog.getByRole('button', { name: 'Publish' })).toBeEnabled();
  await dialog.getByRole('button', { name: 'Not yet' }).click();
  await page.getByRole('button', { name: 'nobody', exact: true }).click();
  await page.getByLabel('Expected').selectOption({ label: 'denied' });
  await expect(page.getByText('all hold')).toBeVisible();
  await page.getByRole('button', { name: 'Save to the draft' }).click();
  await expect(page.getByRole('button', { name: 'Save to the draft' })).toBeDisabled();
  await page.getByRole('button', { name: 'Publish' }).click();
  await expect(dialog.getByText(/All \d+ cases of authorizers hold/)).toBeVisible();
  await dialog.getByRole('button', { name: 'Publish' }).click();
  await expect(page.getByText(/Release \d+ is live/)).toBeVisible();

  const workshop = demo.standins[0]?.clients.find(({ id }) => id === 'workshop');
  const answer = await fetch(`${demo.standins[0]?.issuer}/token`, {
    method: 'POST',
    headers: { authorization: `Basic ${btoa(`workshop:${workshop?.secret}`)}`, 'content-type': 'application/x-www-form-urlencoded' },
    body: new URLSearchParams({ grant_type: 'client_credentials', scope: 'gates:read', resource: 'https://headgates.velmora.example' }),
  });
  const { access_token: token } = (await answer.json()) as { access_token: string };
  const call = (headers: Record<string, string>) => fetch(`${demo.gatewayUrl}/headgates/gates/G-4`, { headers });
  expect((await call({ 'x-crew': 'south' })).status).toBe(401);
  const denied = await call({ authorization: `Bearer ${token}`, 'x-crew': 'north' });
  expect([denied.status, ((await denied.json()) as { detail: string }).detail]).toEqual([403, 'the crew of another gate']);
  expect((await call({ authorization: `Bearer ${token}`, 'x-crew': 'south' })).status).toBe(200);

  // Kept answers say what they hang on and what they open.
  await write('function decide() { return { allow: true, covers: [{ method: "GET", path: "/headgates/gates/*" }] } }');
  await page.getByRole('checkbox', { name: 'use its answers again' }).check();
  await expect(page.getByText(/An answer may be 30 s old, never older than its caller’s credential is good/)).toBeVisible();
  await expect(page.getByText(/it is not shown bodies, header fields/)).toBeVisible();
  await expect(page.getByRole('list', { name: 'What the answer covers' }).first()).toContainText('GET /headgates/gates/*: Headgates: GET /gates/{gateId}');
  await page.getByRole('button', { name: 'take back' }).click();

  // A request that was refused becomes a case with one click.
  await page.goto(`${new URL(page.url()).origin}/traces?outcome=refused&step=authorizer`);
  await page
    .getByRole('link', { name: /gates\/G-4/ })
    .first()
    .click();
  await expect(page.getByRole('heading', { name: 'Why it stopped at Authorizer' })).toBeVisible();
  await page.getByRole('link', { name: 'Make a case of by crew out of it' }).click();
  // What the caller's token said is kept with the trace, so that nothing has to be put in by hand.
  await expect(page.getByText(/This trace keeps no claims/)).toHaveCount(0);
  await expect(page.getByText('all hold')).toBeVisible();
  await page.getByRole('button', { name: 'Save to the draft' }).click();
  await expect(page.getByRole('button', { name: 'Save to the draft' })).toBeDisabled();
});
