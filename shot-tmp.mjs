import { demoFacts, signedIn } from './scripts/lib/browser.mjs';
const [,, folder, ...steps] = process.argv;
const facts = demoFacts(folder);
const dark = steps[0] === 'dark'; if (dark) steps.shift();
const { browser, page } = await signedIn(facts);
page.on('console', (m) => { if (m.type() === 'error') console.log('console:', m.text().slice(0, 200)); });
page.on('pageerror', (e) => console.log('pageerror', e.message.slice(0, 300)));
for (const step of steps) {
  const [kind, ...rest] = step.split('='); const value = rest.join('=');
  if (kind === 'go') { await page.goto(facts.consoleUrl + value); await page.waitForTimeout(1200); }
  if (kind === 'click') { await page.locator(value).first().click(); await page.waitForTimeout(900); }
  if (kind === 'text') { await page.getByText(value).first().click(); await page.waitForTimeout(900); }
  if (kind === 'button') { await page.getByRole('button', { name: value }).first().click(); await page.waitForTimeout(1200); }
  if (kind === 'link') { await page.getByRole('link', { name: value }).first().click(); await page.waitForTimeout(1500); }
  if (kind === 'type') { await page.keyboard.type(value); await page.waitForTimeout(600); }
  if (kind === 'size') { const [w,h] = value.split('x').map(Number); await page.setViewportSize({ width: w, height: h }); await page.waitForTimeout(500); }
  if (kind === 'dark') { await page.evaluate(() => { document.documentElement.dataset.theme = 'dark'; }); }
  if (kind === 'shot') { await page.waitForTimeout(400); await page.screenshot({ path: `/tmp/${value}.png` }); }
  if (kind === 'eval') console.log(await page.evaluate(value));
}
await browser.close();
