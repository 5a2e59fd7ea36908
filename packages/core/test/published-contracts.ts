import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import type { ContractPlace, ContractSource } from '../src/contract/check/contract-source.js';
import { listOperations } from '../src/contract/list-operations.js';
import { isRecord, pointerToken, valueAt } from '../src/util/json-pointer.js';

/** JSON files below a folder, whatever deep. */
export function filesBelow(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    return entry.isDirectory() ? filesBelow(path) : entry.name.endsWith('.json') ? [path] : [];
  });
}

/** Schemas of bodies in JSON, by pointer, with the examples that their document gives. */
export function* examplesOf(source: ContractSource, document: Readonly<Record<string, unknown>>): Generator<[pointer: string, example: unknown]> {
  for (const { pointer } of listOperations(document).operations) {
    const operation = valueAt(document, pointer);
    if (!isRecord(operation)) continue;
    const answers = isRecord(operation['responses']) ? Object.keys(operation['responses']).filter((key) => !key.startsWith('x-')) : [];
    const places = [...(operation['requestBody'] === undefined ? [] : ['requestBody']), ...answers.map((key) => `responses/${key}`)];
    for (const place of places) yield* mediaExamples(source, source.object(`${pointer}/${place}`));
  }
}

function* mediaExamples(source: ContractSource, place: ContractPlace | null): Generator<[string, unknown]> {
  const content = place?.value['content'];
  for (const [type, media] of isRecord(content) ? Object.entries(content) : []) {
    if (!type.includes('json') || !isRecord(media) || media['schema'] === undefined) continue;
    const at = `${place?.pointer ?? ''}/content/${pointerToken(type)}`;
    if ('example' in media) yield [`${at}/schema`, media['example']];
    for (const name of isRecord(media['examples']) ? Object.keys(media['examples']) : []) {
      const example = source.object(`${at}/examples/${pointerToken(name)}`)?.value;
      if (example && 'value' in example) yield [`${at}/schema`, example['value']];
    }
  }
}

/** A value with a member dropped, of another type, added, at every depth up to three. */
export function* mutants(value: unknown, depth = 0): Generator<unknown> {
  if (depth > 3) return;
  if (Array.isArray(value)) {
    const [first, ...rest] = value as unknown[];
    yield [...(value as unknown[]), null];
    yield {};
    if (first === undefined) return;
    yield rest;
    for (const mutant of mutants(first, depth + 1)) yield [mutant, ...rest];
  } else if (isRecord(value)) {
    for (const [name, member] of Object.entries(value)) {
      yield Object.fromEntries(Object.entries(value).filter(([other]) => other !== name));
      for (const mutant of mutants(member, depth + 1)) yield { ...value, [name]: mutant };
    }
    yield { ...value, 'x-added': 1 };
    yield [];
  } else {
    yield null;
    yield typeof value === 'string' ? 7 : 'text';
    yield {};
    if (typeof value === 'number') yield* [-1e9, value + 0.5];
  }
}
