import { contractFaults, listOperations, readContract, type ContractProblem } from '@virga/core';
import { Validator } from '@seriousme/openapi-schema-validator';
import { parentPort, workerData } from 'node:worker_threads';
import type { ContractResult } from './contract-result.js';

const MAX_SCHEMA_PROBLEMS = 20;
const MAX_FAULTS = 50;
/** Schema errors of a branch that was not meant say nothing; these words mark them. */
const BRANCH_NOISE = new Set(['oneOf', 'anyOf', 'if', 'not', 'allOf', 'unevaluatedProperties']);

/** Reads a description away from the threads that serve, so that a large or hostile one stalls nobody. */
async function read(text: string): Promise<ContractResult> {
  const contract = readContract(text);
  if (!contract.document || !contract.version) {
    return { ...EMPTY, format: contract.format, problems: contract.problems, problemCount: contract.problems.length };
  }
  const listed = listOperations(contract.document);
  const schema = await schemaProblems(contract.document);
  const unusable = contractFaults(contract.document, contract.version, listed.operations)
    .slice(0, MAX_FAULTS)
    .map(({ rule, says }): ContractProblem => ({
      severity: 'notice',
      pointer: rule,
      line: null,
      message: `cannot be checked, so where it is enforced everything is refused: ${says}`,
    }));
  const found = [...contract.problems, ...listed.problems.items, ...schema, ...unusable];
  const lines = contract.locate(found.filter((problem) => problem.line === null).map((problem) => problem.pointer));
  const problems = found.map((problem): ContractProblem => ({ ...problem, line: problem.line ?? lines.get(problem.pointer) ?? null }));
  problems.sort((a, b) => Number(a.severity === 'notice') - Number(b.severity === 'notice') || (a.line ?? 0) - (b.line ?? 0));
  const { title, version, servers, operations, access, schemes, scopes } = listed;
  return {
    usable: operations.length > 0,
    title,
    version,
    openapi: String(contract.document['openapi']),
    format: contract.format,
    servers,
    operations,
    access,
    schemes,
    scopes,
    problems,
    problemCount: contract.problems.length + listed.problems.total + schema.length + unusable.length,
  };
}

const EMPTY: ContractResult = {
  usable: false,
  title: '',
  version: '',
  openapi: null,
  format: 'json',
  servers: [],
  operations: [],
  access: { kind: 'open', origin: 'contract' },
  schemes: [],
  scopes: [],
  problems: [],
  problemCount: 0,
};

/** Where the document departs from the published schema of its OpenAPI version. Such places are named, not fatal. */
async function schemaProblems(document: Readonly<Record<string, unknown>>): Promise<ContractProblem[]> {
  const result = await new Validator({ allErrors: false, strict: false })
    .validate(document as Record<string, unknown>)
    .catch((error: Error) => ({ valid: false, errors: [{ instancePath: '', keyword: '', message: error.message }] }));
  if (result.valid || !Array.isArray(result.errors)) return [];
  const telling = result.errors.filter((error) => !BRANCH_NOISE.has(error.keyword));
  return (telling.length > 0 ? telling : result.errors).slice(0, MAX_SCHEMA_PROBLEMS).map((error) => ({
    severity: 'notice',
    pointer: error.instancePath,
    line: null,
    message: `departs from the OpenAPI schema: ${error.message ?? error.keyword}`,
  }));
}

parentPort?.postMessage(await read((workerData as { text: string }).text));
