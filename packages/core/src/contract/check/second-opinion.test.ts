import '@hyperjump/json-schema/openapi-3-0';
import { registerSchema, validate, type SchemaObject } from '@hyperjump/json-schema/openapi-3-1';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { SchemaCompiler } from '../../schema/compile-schema.js';
import { Run } from '../../schema/run.js';
import { examplesOf, filesBelow, mutants } from '../../../test/published-contracts.js';
import { contractFaults } from '../contract-faults.js';
import { listOperations } from '../list-operations.js';
import { readContract } from '../read-contract.js';
import { wholeContract } from './contract-source.js';

// Published descriptions from the registry: @readme/oas-examples 8.2.2 (MIT), @scalar/galaxy 0.6.12 (MIT) and @blockfrost/openapi
// 0.1.93 (Apache-2.0). The second opinion is @hyperjump/json-schema 1.18.0 (MIT) in its dialects for OpenAPI 3.0 and 3.1.
const MODULES = join(import.meta.dirname, '../../../../../node_modules');

const FILES = [
  ...filesBelow(join(MODULES, '@readme/oas-examples/3.0/json')),
  ...filesBelow(join(MODULES, '@readme/oas-examples/3.1/json')),
  join(import.meta.dirname, '../../../test/fixtures/openapi/galaxy-3.1.json'),
  join(MODULES, '@blockfrost/openapi/openapi.yaml'),
];

const MOST_MUTANTS = 60;
let decided = 0;
let refused = 0;

test.each(FILES)('%s: schemas compile, and examples and their mutants are decided as by the second opinion', async (file) => {
  const { document, version } = readContract(readFileSync(file, 'utf8'));
  if (document === null || version === null) throw new Error('it is read');
  const source = wholeContract(document, version);
  const uri = `https://descriptions.example/${encodeURIComponent(file)}`;
  const dialect = version === '3.0' ? 'https://spec.openapis.org/oas/3.0/dialect' : 'https://spec.openapis.org/oas/3.1/dialect/base';
  // One has schemas of drafts 5, 6 and 7, which neither reads; what cannot be read is said.
  const faults = contractFaults(document, version, listOperations(document).operations);
  if (file.endsWith('schema-validation-local.json')) return expect(faults.map(({ says }) => says)).toContainEqual(expect.stringContaining('is not read'));
  expect(faults.filter(({ says }) => !says.includes('which is not there'))).toEqual([]);
  registerSchema(document as SchemaObject, uri, dialect);
  if (source.dialect === null) throw new Error('its dialect is read');
  const compiler = new SchemaCompiler(source.set, source.dialect, 'request', { unknown: 'as-said', formats: false, readOnlySent: true });
  const differ: string[] = [];
  for (const [pointer, example] of examplesOf(source, document)) {
    // It refuses to read some schemas that are no schemas.
    const opinion = await validate(`${uri}#${encodeURI(pointer)}`).catch(() => null);
    if (opinion === null) continue;
    const check = compiler.value(source.schema(pointer));
    for (const value of [example, ...[...mutants(example)].slice(0, MOST_MUTANTS)]) {
      const [ours, theirs] = [check(value, new Run(false)), opinion(value as never).valid];
      decided++;
      if (!theirs) refused++;
      if (ours !== theirs) differ.push(`${pointer} ${JSON.stringify(value)}: ${ours} here, ${theirs} there`);
    }
  }
  expect(differ).toEqual([]);
});

afterAll(() => {
  // Enough of both, so that agreeing says something.
  expect(decided).toBeGreaterThan(1500);
  expect(refused).toBeGreaterThan(300);
});
