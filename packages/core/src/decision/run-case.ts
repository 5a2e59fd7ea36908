import type { AuthorizerAnswer } from '../authorizer/read-answer.js';
import { OPEN_SCOPE } from '../condition/condition-input.js';
import { readVariables } from '../condition/try-condition.js';
import type { TableRows } from '../directory/table-fact.js';
import type { AuthorizerRule, AuthorizerSays } from '../document/authorizer-rule.js';
import { isRecord } from '../util/json-pointer.js';
import { finding, type Code, type Finding } from '../verdict/codes.js';
import { compileAuthorizer, findingOfAnswer } from './authorizer-step.js';
import type { Ports } from './ports.js';

/** What an authorizer came to with an input given by hand. */
export interface CaseOutcome {
  readonly says: AuthorizerSays;
  readonly finding: Finding;
  /** Null where it came to none. */
  readonly answer: AuthorizerAnswer | null;
  readonly tookMs: number;
}

/** What a case is about is no busy machine: a script that was out of time, or was not come to, is asked again. One that is slow is so each time. */
const AGAIN: ReadonlySet<Code> = new Set<Code>(['authorizer.time', 'authorizer.busy']);
const MOST_TURNS = 3;

/**
 * Asks an authorizer with inputs given by hand, by the code that requests take. No answer is kept, and none that was is used.
 * @param inputs JSON texts of objects with the variables of conditions; tables under `resource`
 * @throws ConfigError for an authorizer that cannot be asked
 */
export async function runCases(rule: AuthorizerRule, inputs: readonly string[], ports: Ports): Promise<CaseOutcome[]> {
  const authorizer = compileAuthorizer(rule, '', ports);
  return Promise.all(
    inputs.map(async (input): Promise<CaseOutcome> => {
      let from = ports.ticks();
      const came = (answer: AuthorizerAnswer | Finding): CaseOutcome => {
        const found = findingOfAnswer(rule, answer, 'asked');
        return { says: 'code' in answer ? 'error' : answer.says, finding: found, answer: 'code' in answer ? null : answer, tookMs: ports.ticks() - from };
      };
      const failed = (says: string): CaseOutcome => came(finding('authorizer.fault', { name: rule.name, says, line: 0, column: 0 }));
      const read = readInput(input, new Date(ports.now()).toISOString());
      if (typeof read === 'string') return failed(read);
      const missing = authorizer.tables.find((table) => !read.tables.has(table));
      if (missing !== undefined) return failed(`the case has no resource.${missing}`);
      const { values, tables } = read;
      const body = Object.hasOwn(values.request, 'body');
      if (body && !authorizer.readsBody) return failed('the case has request.body, which this authorizer is not shown');
      const variables = (): Record<string, unknown> => {
        const made = readVariables({ ...values, resource: read.resource }, OPEN_SCOPE);
        if (typeof made === 'string') throw new Error(made);
        return made;
      };
      for (let turn = 1; ; turn++) {
        from = ports.ticks();
        const answer = await authorizer.ask({ input: () => values, variables, tables });
        if (turn === MOST_TURNS || !('code' in answer) || !AGAIN.has(answer.code)) return came(answer);
      }
    }),
  );
}

interface ReadInput {
  readonly values: Readonly<Record<string, unknown>> & { readonly request: object };
  readonly resource: Readonly<Record<string, unknown>>;
  readonly tables: ReadonlyMap<string, TableRows>;
}

const MEMBERS: ReadonlySet<string> = new Set(['principal', 'client', 'credentials', 'request', 'resource', 'now']);

/** Reads the input of a case; what is left out is what a request has that carries nothing. @returns what is wrong with it, in words */
function readInput(text: string, now: string): ReadInput | string {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch (error) {
    return `the input of the case is no JSON: ${(error as Error).message}`;
  }
  if (!isRecord(value)) return 'the input of a case is an object with members such as request';
  const unknown = Object.keys(value).find((name) => !MEMBERS.has(name));
  if (unknown !== undefined) return `nothing is called ${unknown.slice(0, 60)}`;
  const { principal = {}, client = {}, credentials = [], request = {}, resource = {}, now: at = now } = value;
  for (const [name, member] of Object.entries({ principal, client, request, resource })) if (!isRecord(member)) return `${name} is an object`;
  if (typeof at !== 'string' || Number.isNaN(Date.parse(at))) return 'now is a time such as 2026-05-01T06:00:00Z';
  if (!Array.isArray(credentials)) return 'credentials is a list of texts';
  const tables = readTables(resource as Record<string, unknown>);
  if (typeof tables === 'string') return tables;
  const asked = { method: 'GET', path: '/', parameters: {}, query: {}, headers: {}, ...(request as object) };
  return { values: { principal, client, credentials, request: asked, now: at }, resource: resource as Record<string, unknown>, tables };
}

function readTables(resource: Readonly<Record<string, unknown>>): ReadonlyMap<string, TableRows> | string {
  const tables = new Map<string, TableRows>();
  for (const [table, rows] of Object.entries(resource)) {
    if (!isRecord(rows)) return `resource.${table} is an object of rows by their keys`;
    const read = new Map<string, ReadonlyMap<string, string>>();
    for (const [key, row] of Object.entries(rows)) {
      if (!isRecord(row) || !Object.values(row).every((cell) => typeof cell === 'string')) return `resource.${table}.${key.slice(0, 60)} is an object of texts`;
      read.set(key, new Map(Object.entries(row as Record<string, string>)));
    }
    tables.set(table, read);
  }
  return tables;
}
