// Installs what is missing, then runs lint, types, unit tests, the attack over HTTP and browser tests. Ends with one line of counts over all suites.
import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, install, ROOT } from './lib/prepare.mjs';

const CHROMIUM = '/usr/bin/chromium';
const REDIS_SERVER = process.env.VIRGA_REDIS_SERVER ?? '/usr/bin/redis-server';
const results = mkdtempSync(join(tmpdir(), 'virga-test-'));
let passed = 0;
let failed = 0;

/** What the suites need beside npm's packages: a browser, and a store for counters that several nodes share. */
function installDebian(name, file, suites) {
  if (existsSync(file)) return;
  console.log(`Installing ${name} from Debian’s packages.`);
  try {
    execFileSync('apt-get', ['update', '-qq'], { stdio: 'inherit' });
    execFileSync('apt-get', ['install', '-y', '-qq', name], { stdio: ['ignore', 'ignore', 'inherit'] });
  } catch (error) {
    console.error(`${name} could not be installed (${error.message}); ${suites} will fail.`);
  }
}

/** Runs one suite; counts come from its report, or its exit code counts as one. */
function suite(name, args, count) {
  const startedAt = Date.now();
  console.log(`\n== ${name}`);
  const { status } = spawnSync('npm', ['run', '--silent', ...args], { cwd: ROOT, stdio: 'inherit' });
  console.log(`== ${name} took ${Math.round((Date.now() - startedAt) / 1000)} s`);
  const counted = count?.() ?? { passed: status === 0 ? 1 : 0, failed: status === 0 ? 0 : 1 };
  passed += counted.passed;
  failed += counted.failed + (status !== 0 && counted.failed === 0 ? 1 : 0);
}

function report(file, read) {
  try {
    return read(JSON.parse(readFileSync(join(results, file), 'utf8')));
  } catch {
    return { passed: 0, failed: 1 };
  }
}

/** Tracked files as they differ from what was committed; null outside of a checkout. */
function trackedChanges() {
  const asked = spawnSync('git', ['diff', 'HEAD'], { cwd: ROOT, encoding: 'utf8', maxBuffer: 256 * 1024 * 1024 });
  return asked.status === 0 ? asked.stdout : null;
}

const before = trackedChanges();
const driver = install();
build();
if (trackedChanges() !== before) {
  console.error('Installing or building changed a tracked file: see git diff.');
  failed++;
} else passed++;
installDebian('chromium', CHROMIUM, 'the browser tests');
installDebian('redis-server', REDIS_SERVER, 'the tests of shared counters');
// While the database driver is compiled.
suite('rules', ['lint:rules']);
suite('form', ['lint:form']);
suite('types', ['types']);
await driver;
suite('unit', ['unit', '--', '--json', '--outputFile', join(results, 'unit.json')], () =>
  report('unit.json', (unit) => ({ passed: unit.numPassedTests, failed: unit.numFailedTests + unit.numRuntimeErrorTestSuites })),
);
suite('attack', ['attack']);
process.env.PLAYWRIGHT_JSON_OUTPUT_NAME = join(results, 'e2e.json');
suite('browser', ['e2e'], () => report('e2e.json', ({ stats }) => ({ passed: stats.expected + stats.flaky, failed: stats.unexpected })));
console.log(`\n${passed} passed, ${failed} failed`);
process.exit(failed > 0 ? 1 : 0);
