import { execFileSync } from 'node:child_process';
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

/** Installs what the lock file names, unless that was done already. */
export function install() {
  const wanted = digest([join(ROOT, 'package-lock.json')]);
  if (stampOf('install') === wanted && existsSync(join(ROOT, 'node_modules', 'sqlite3', 'build'))) return;
  console.log('Installing. The database driver is compiled, which takes a minute or two.');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel', 'error']);
  stamp('install', wanted);
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
