import type { ReleaseDocument } from '@virga/core';
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';

/** A release as it is kept on disk. */
export interface ReleaseSnapshot {
  readonly number: number;
  readonly hash: string;
  readonly document: ReleaseDocument;
}

/** Reads the last good release; null when there is none that can be read. */
export async function readSnapshot(file: string): Promise<ReleaseSnapshot | null> {
  try {
    const value = JSON.parse(await readFile(file, 'utf8')) as Partial<ReleaseSnapshot>;
    return typeof value.number === 'number' && typeof value.hash === 'string' && value.document ? (value as ReleaseSnapshot) : null;
  } catch {
    return null;
  }
}

/** Writes the last good release in one step, so that a crash leaves the old or the new one, never half of it. */
export async function writeSnapshot(file: string, snapshot: ReleaseSnapshot): Promise<void> {
  await mkdir(dirname(file), { recursive: true });
  await writeFile(`${file}.next`, JSON.stringify(snapshot), { mode: 0o600 });
  await rename(`${file}.next`, file);
}
