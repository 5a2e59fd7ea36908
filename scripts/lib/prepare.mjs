import { execFileSync, spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = dirname(dirname(dirname(fileURLToPath(import.meta.url))));
const STAMPS = join(ROOT, 'node_modules', '.virga');

/** Runs a command of the project and shows what it prints. */
export function run(command, args, options = {}) {
  execFileSync(command, args, { cwd: ROOT, stdio: 'inherit', ...options });
}

/** Installs and builds what is not there yet. */
export async function prepare() {
  const driver = install();
  build();
  await driver;
}

/**
 * Installs what the lock file names, unless that was done already.
 * @returns settles when the database driver is compiled, which goes on while the rest is built; only what opens data needs it
 */
export function install() {
  const wanted = digest([join(ROOT, 'package-lock.json')]);
  if (stampOf('install') === wanted && existsSync(join(ROOT, 'node_modules', 'sqlite3', 'build'))) return Promise.resolve();
  console.log('Installing. The database driver is compiled, which takes a minute or two.');
  // Of all packages the driver alone comes without what runs on this machine.
  run('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund', '--loglevel', 'error']);
  const driver = new Promise((resolve, reject) => {
    const failed = (why) => reject(new Error(`the database driver could not be compiled (${why}); npm rebuild sqlite3 says more`));
    spawn('npm', ['rebuild', 'sqlite3', '--loglevel', 'error'], { cwd: ROOT, stdio: ['ignore', 'ignore', 'inherit'] })
      .once('error', (error) => failed(error.message))
      .once('exit', (code) => {
        if (code !== 0) return failed(`exit code ${code}`);
        stamp('install', wanted);
        resolve();
      });
  });
  // Whoever needs the driver waits for it and learns of it; what fails before that has its own say.
  driver.catch(() => undefined);
  return driver;
}

/** Builds everything, unless no source has changed since the last build. */
export function build() {
  const wanted = digest([...sources(join(ROOT, 'packages')), ...sources(join(ROOT, 'apps')), join(ROOT, 'package-lock.json')]);
  if (stampOf('build') === wanted && existsSync(join(ROOT, 'apps/portal/dist/index.html'))) return;
  console.log('Building.');
  run('npm', ['run', '--silent', 'build']);
  stamp('build', wanted);
}

function sources(folder) {
  return readdirSync(folder).flatMap((name) => {
    if (name === 'node_modules' || name === 'dist') return [];
    const path = join(folder, name);
    if (statSync(path).isDirectory()) return sources(path);
    return /\.test\.tsx?$/.test(name) ? [] : [path];
  });
}

function digest(files) {
  const hash = createHash('sha256');
  for (const file of files) hash.update(`${relative(ROOT, file)}\n`).update(readFileSync(file));
  return hash.digest('hex');
}

function stampOf(name) {
  try {
    return readFileSync(join(STAMPS, name), 'utf8');
  } catch {
    return null;
  }
}

function stamp(name, value) {
  mkdirSync(STAMPS, { recursive: true });
  writeFileSync(join(STAMPS, name), value);
}
