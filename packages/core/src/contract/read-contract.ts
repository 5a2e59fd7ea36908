import { LineCounter, parseDocument, type Document } from 'yaml';
import { isRecord } from '../util/json-pointer.js';
import { jsonFaultLine } from './json-fault.js';
import { locateJson } from './locate-json.js';
import { ProblemList, type ContractProblem } from './problem.js';
import { yamlPlace } from './yaml-place.js';

/** Budgets on a description: size in characters, nesting, YAML aliases that may be expanded, and values in all when they are. */
export const CONTRACT_BUDGET = { maxLength: 16 * 1024 * 1024, maxYamlLength: 4 * 1024 * 1024, maxDepth: 200, maxAliases: 1000, maxValues: 5_000_000 } as const;

/** A description read from its text. `document` is null when it could not be read at all. */
export interface ReadContract {
  readonly document: Readonly<Record<string, unknown>> | null;
  readonly format: 'json' | 'yaml';
  /** `3.0` or `3.1`; null when the document is of another kind. */
  readonly version: '3.0' | '3.1' | null;
  readonly problems: readonly ContractProblem[];
  /** Lines of the values that pointers name; unknown ones are left out. */
  locate(pointers: readonly string[]): ReadonlyMap<string, number>;
}

/** Reads an OpenAPI 3.0 or 3.1 description from JSON or YAML text. Never throws: what is wrong is in `problems`. */
export function readContract(text: string): ReadContract {
  const problems = new ProblemList();
  const plain = text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
  if (plain.length > CONTRACT_BUDGET.maxLength) {
    problems.add('error', '', `the text has ${plain.length} characters; at most ${CONTRACT_BUDGET.maxLength} are read`);
    return failed('json', problems);
  }
  if (plain.trim() === '') {
    problems.add('error', '', 'the text is empty');
    return failed('json', problems);
  }
  // A flow mapping of YAML may begin with a brace too, but hardly with quoted names.
  const isJson = /^\s*(\{\s*["}]|\[)/.test(plain);
  if (!isJson && plain.length > CONTRACT_BUDGET.maxYamlLength) {
    problems.add(
      'error',
      '',
      `the text has ${plain.length} characters; of YAML at most ${CONTRACT_BUDGET.maxYamlLength} are read. Convert it to JSON, which may be longer`,
    );
    return failed('yaml', problems);
  }
  const parsed = isJson ? parseJson(plain, problems) : parseYaml(plain, problems);
  if (!parsed) return failed(isJson ? 'json' : 'yaml', problems);
  if (!isRecord(parsed.value)) {
    problems.add('error', '', 'the document is not an object', 1);
    return failed(parsed.format, problems);
  }
  if (isDeeper(parsed.value, CONTRACT_BUDGET.maxDepth)) {
    problems.add('error', '', `the document is nested deeper than ${CONTRACT_BUDGET.maxDepth} levels`);
    return failed(parsed.format, problems);
  }
  if (valuesIn(parsed.value) > CONTRACT_BUDGET.maxValues) {
    problems.add('error', '', `the document has more than ${CONTRACT_BUDGET.maxValues} values when its aliases are written out`);
    return failed(parsed.format, problems);
  }
  const version = versionOf(parsed.value, problems);
  return { document: parsed.value, format: parsed.format, version, problems: problems.items, locate: parsed.locate };
}

interface Parsed {
  readonly value: unknown;
  readonly format: 'json' | 'yaml';
  readonly locate: ReadContract['locate'];
}

const failed = (format: 'json' | 'yaml', problems: ProblemList): ReadContract => ({
  document: null,
  format,
  version: null,
  problems: problems.items,
  locate: () => new Map(),
});

function parseJson(text: string, problems: ProblemList): Parsed | null {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    problems.add('error', '', `the text is not JSON: ${(error as Error).message}`, jsonFaultLine(text));
    return null;
  }
  for (const { pointer, line } of locateJson(text, new Set()).repeated) problems.add('notice', pointer, 'this member stands twice; the last one counts', line);
  return { value, format: 'json', locate: (pointers) => locateJson(text, new Set(pointers)).lines };
}

function parseYaml(text: string, problems: ProblemList): Parsed | null {
  const lineCounter = new LineCounter();
  try {
    const document = parseDocument(text, { lineCounter, version: '1.2', merge: true, uniqueKeys: true, prettyErrors: false, logLevel: 'silent' });
    for (const error of document.errors) problems.add('error', '', `the text is not YAML: ${error.message}`, lineCounter.linePos(error.pos[0]).line);
    if (document.errors.length > 0) return null;
    const value: unknown = document.toJS({ maxAliasCount: CONTRACT_BUDGET.maxAliases });
    return { value, format: 'yaml', locate: (pointers) => locateYaml(document, lineCounter, pointers) };
  } catch (error) {
    problems.add('error', '', `the text cannot be read: ${(error as Error).message}`);
    return null;
  }
}

function locateYaml(document: Document, lineCounter: LineCounter, pointers: readonly string[]): Map<string, number> {
  const lines = new Map<string, number>();
  for (const pointer of pointers) {
    const { node } = yamlPlace(document, pointer);
    const range = isRecord(node) ? node['range'] : undefined;
    const start: unknown = Array.isArray(range) ? range[0] : undefined;
    if (typeof start === 'number') lines.set(pointer, lineCounter.linePos(start).line);
  }
  return lines;
}

function isDeeper(root: unknown, limit: number): boolean {
  let level: unknown[] = [root];
  for (let depth = 0; level.length > 0; depth++) {
    if (depth > limit) return true;
    const next: unknown[] = [];
    const seen = new Set<unknown>();
    for (const value of level) {
      if (value === null || typeof value !== 'object' || seen.has(value)) continue;
      seen.add(value);
      for (const member of Object.values(value)) if (member !== null && typeof member === 'object') next.push(member);
    }
    level = next;
  }
  return false;
}

/** How many values a document has when everything that stands in it twice is written out. There are no circles in it. */
function valuesIn(root: unknown): number {
  const known = new Map<object, number>();
  const count = (value: unknown): number => {
    if (value === null || typeof value !== 'object') return 1;
    const before = known.get(value);
    if (before !== undefined) return before;
    let sum = 1;
    for (const member of Object.values(value)) sum += count(member);
    known.set(value, sum);
    return sum;
  };
  return count(root);
}

function versionOf(document: Record<string, unknown>, problems: ProblemList): ReadContract['version'] {
  const version = document['openapi'];
  if (typeof version === 'string') {
    if (/^3\.0\.\d+/.test(version)) return '3.0';
    if (/^3\.1\.\d+/.test(version)) return '3.1';
    problems.add('error', '/openapi', `OpenAPI ${version.slice(0, 20)} is not read; 3.0 and 3.1 are`);
    return null;
  }
  if (document['swagger'] !== undefined)
    problems.add('error', '/swagger', 'this is a description of version 2.0; 3.0 and 3.1 are read here, bringing it in upgrades it');
  else if (typeof version === 'number') problems.add('error', '/openapi', 'the version is a number; put it in quotes, as in "3.1.0"');
  else problems.add('error', '', 'there is no member “openapi”, so this is not an OpenAPI description');
  return null;
}
