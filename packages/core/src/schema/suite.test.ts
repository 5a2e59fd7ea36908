import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pointerToken } from '../util/json-pointer.js';
import { SchemaCompiler } from './compile-schema.js';
import { dialectNamed, JSON_SCHEMA_2020, JSON_SCHEMA_DRAFT_4, type Dialect } from './dialect.js';
import { Run } from './run.js';
import { NameIndex, SchemaSet } from './schema-set.js';
import { wholeDocument } from './whole-document.js';

// The official JSON Schema test suite (json-schema-org, MIT, state of 2023): drafts 2020-12 and 4, with its remote schemas.
const SUITE = join(import.meta.dirname, '../../test/fixtures/json-schema');

interface Group {
  readonly description: string;
  readonly schema: unknown;
  readonly tests: readonly { readonly description: string; readonly data: unknown; readonly valid: boolean }[];
}

function* filesBelow(folder: string): Generator<string> {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) yield* filesBelow(path);
    else yield path;
  }
}

/** The metaschemas as published, from the packages of ajv 8.20.0 and ajv-draft-04 1.0.0 (MIT). */
function* metaschemas(dialect: Dialect): Generator<[string, unknown]> {
  const modules = join(import.meta.dirname, '../../../../node_modules');
  const read = (file: string): Record<string, unknown> => JSON.parse(readFileSync(join(modules, file), 'utf8')) as Record<string, unknown>;
  if (dialect.modern) {
    for (const name of [
      'schema',
      ...['applicator', 'content', 'core', 'format-annotation', 'meta-data', 'unevaluated', 'validation'].map((one) => `meta/${one}`),
    ])
      yield [`https://json-schema.org/draft/2020-12/${name}`, read(`ajv/dist/refs/json-schema-2020-12/${name}.json`)];
  } else yield ['http://json-schema.org/draft-04/schema', read('ajv-draft-04/dist/refs/json-schema-draft-04.json')];
}

/** The remote schemas at the address where the suite serves them. */
function remotes(dialect: Dialect): SchemaSet {
  const set = new SchemaSet();
  for (const file of filesBelow(join(SUITE, 'remotes'))) {
    const value = JSON.parse(readFileSync(file, 'utf8')) as Record<string, unknown>;
    const uri = `http://localhost:1234${file.slice(join(SUITE, 'remotes').length)}`;
    const own = typeof value['$schema'] === 'string' ? dialectNamed(value['$schema']) : dialect;
    if (own?.name !== dialect.name) continue;
    const names = new NameIndex();
    names.schema(value, '', uri, dialect);
    set.add(uri, wholeDocument(value), names.found);
  }
  for (const [uri, value] of metaschemas(dialect)) {
    const names = new NameIndex();
    names.schema(value, '', uri, dialect);
    set.add(uri, wholeDocument(value), names.found);
  }
  return set;
}

function decide(schema: unknown, data: unknown, dialect: Dialect, formats: boolean): { readonly verdict: boolean; readonly explained: boolean } {
  const set = remotes(dialect);
  const uri = 'http://suite.example/schema';
  const names = new NameIndex();
  names.schema(schema, '', uri, dialect);
  set.add(uri, wholeDocument(schema), names.found);
  const compiler = new SchemaCompiler(set, dialect, 'request', { unknown: 'as-said', formats, readOnlySent: true });
  const check = compiler.value({ document: uri, pointer: '' });
  const explaining = new Run(true);
  const explained = check(data, explaining);
  expect(explained).toBe((explaining.sink?.length ?? 0) === 0);
  return { verdict: check(data, new Run(false)), explained };
}

/** Groups that are not decided as the suite says, with the reason. */
const MISSED: Readonly<Record<string, string>> = {
  'draft2020-12/vocabulary.json': 'a dialect of one’s own is refused in words: what its keywords mean cannot be known',
  'draft2020-12/optional/format-assertion.json': 'the same',
  'draft2020-12/optional/cross-draft.json': 'schemas of draft 2019-09 are not read',
  'draft2020-12/optional/ecmascript-regex.json/\\a is not': 'the platform takes \\a for the letter, as the suite’s own note allows',
  'draft4/optional/zeroTerminatedFloats.json': 'after JSON was read 1.0 and 1 are one number; later drafts say that it is whole',
};

describe.each([
  ['draft2020-12', JSON_SCHEMA_2020],
  ['draft4', JSON_SCHEMA_DRAFT_4],
] as const)('the JSON Schema test suite, %s', (folder, dialect) => {
  const files = [folder, `${folder}/optional`].flatMap((at) =>
    readdirSync(join(SUITE, at))
      .filter((name) => name.endsWith('.json'))
      .map((name) => `${at}/${name}`.slice(folder.length + 1)),
  );
  it.each(files)('%s', (file) => {
    const groups = JSON.parse(readFileSync(join(SUITE, folder, file), 'utf8')) as Group[];
    const wrong: string[] = [];
    for (const group of groups) {
      for (const test of group.tests) {
        const { verdict, explained } = decide(group.schema, test.data, dialect, false);
        expect(explained).toBe(verdict);
        const key = `${folder}/${file}/${pointerToken(group.description)}`;
        if (verdict !== test.valid && !Object.keys(MISSED).some((missed) => key.startsWith(missed))) wrong.push(`${group.description}: ${test.description}`);
      }
    }
    expect(wrong).toEqual([]);
  });
});

/** Formats that are not read at all: names with letters beyond ASCII, and `unknown`. */
describe('the formats of the JSON Schema test suite, 2020-12', () => {
  const folder = join(SUITE, 'draft2020-12/optional/format');
  it.each(readdirSync(folder).filter((name) => !/^idn-|^iri|unknown/.test(name)))('%s', (file) => {
    const groups = JSON.parse(readFileSync(join(folder, file), 'utf8')) as Group[];
    const wrong = groups.flatMap((group) =>
      group.tests.filter((test) => decide(group.schema, test.data, JSON_SCHEMA_2020, true).verdict !== test.valid).map((test) => test.description),
    );
    expect(wrong).toEqual([]);
  });
});
