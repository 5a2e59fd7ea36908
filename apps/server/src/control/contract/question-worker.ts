import {
  acceptDeviation,
  acceptDrift,
  asOpenApi31,
  describeLearned,
  driftOf,
  editContract,
  enforcedContract,
  isRecord,
  leaveOut,
  listOperations,
  mergeLearned,
  operationKey,
  pointerOf,
  readContract,
  offeredChanges,
  referenceIndex,
  referenceOperation,
  securityGaps,
  unpack,
  valueAt,
  type LearnedEntry,
  type SeenOperation,
} from '@virga/core';
import { parentPort, workerData } from 'node:worker_threads';
import { parse, stringify } from 'yaml';
import type {
  AcceptAnswer,
  ChangesAnswer,
  ContractQuestion,
  DriftAnswer,
  MergeAnswer,
  PlaceAnswer,
  ReferenceAnswers,
  WholeAnswer,
} from './contract-question.js';

type Json = Readonly<Record<string, unknown>>;
type Ask<K extends ContractQuestion['kind']> = Extract<ContractQuestion, { kind: K }>;

/** Characters of a value that are shown. */
const MOST_SHOWN = 4000;

type Answer = PlaceAnswer | AcceptAnswer | MergeAnswer | DriftAnswer | WholeAnswer | ChangesAnswer | ReferenceAnswers[keyof ReferenceAnswers];

/** Answers a question about a description away from the threads that serve. */
function answer(question: ContractQuestion): Answer {
  const { document, locate } = readContract(question.text);
  switch (question.kind) {
    case 'place': {
      const { pointer } = question;
      const value = document && valueAt(document, pointer);
      const text = value === undefined || value === null ? null : JSON.stringify(value, null, 2);
      return { line: locate([pointer]).get(pointer) ?? null, value: text && text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN)}…` : text };
    }
    case 'accept': {
      const accepted = document && acceptDeviation(document, question.part, question.deviation);
      return accepted && { says: accepted.says, after: editContract(question.text, question.format, accepted.edits) };
    }
    case 'accept-drift': {
      const accepted = document && acceptDrift(document, question.operation, question.drift);
      return accepted && { says: accepted.says, after: editContract(question.text, question.format, accepted.edits) };
    }
    case 'merge':
      return merged(document ?? {}, question);
    case 'drift':
      return drifted(document ?? {}, question);
    case 'changes':
      return offeredChanges(readContract(question.before).document ?? {}, document ?? {});
    case 'reference':
      return question.operation ? referenceOperation(document ?? {}, question.operation.method, question.operation.path) : referenceIndex(document ?? {});
    case 'openapi-3.1': {
      const edits = asOpenApi31(document ?? {});
      return { text: edits.length === 0 ? question.text : editContract(question.text, question.format, edits) };
    }
    case 'enforced':
      return { text: editContract(question.text, question.format, enforcedContract(document ?? {}, question.api, question.limiting)) };
  }
}

function merged(document: Json, { text, format, entry, leaveOut: without, security, operation }: Ask<'merge'>): MergeAnswer {
  const described = describeLearned(unpack<LearnedEntry>(entry));
  const edited = operation === null ? leaveOut(described.operation, without) : readOperation(operation);
  if (typeof edited === 'string') return { fault: edited };
  const merge = mergeLearned(document, { ...described, operation: edited }, operation !== null && edited['security'] !== undefined ? undefined : security);
  if (merge === null) return { fault: 'The contract has this operation already.' };
  const after = editContract(text, format, merge.edits);
  const read = readContract(after);
  const listed = read.document && listOperations(read.document);
  const wrong =
    read.problems.find(({ severity }) => severity === 'error') ??
    listed?.problems.items.find(({ severity, pointer }) => severity === 'error' && pointer.startsWith(merge.pointer));
  if (wrong) return { fault: `The contract would not be right with it: ${wrong.message}${wrong.pointer === '' ? '' : ` (${wrong.pointer})`}` };
  if (!listed?.operations.some((one) => operationKey(one) === operationKey({ method: described.method, path: merge.path })))
    return { fault: 'With it the contract would not have this operation.' };
  const own = read.document && valueAt(read.document, merge.pointer);
  return { after, pointer: merge.pointer, operation: format === 'yaml' ? stringify(own, { lineWidth: 0 }) : JSON.stringify(own, null, 2) };
}

/** An operation as somebody wrote it; a text that says why it is none. */
function readOperation(text: string): Json | string {
  try {
    const value: unknown = parse(text, { maxAliasCount: 100 });
    if (!isRecord(value)) return 'An operation is an object with members such as parameters and responses.';
    return isRecord(value['responses']) ? value : 'An operation has responses (OpenAPI 3.1.2 section 4.8.10).';
  } catch (error) {
    return `It can be read neither as JSON nor as YAML: ${(error as Error).message.split('\n')[0] ?? ''}`;
  }
}

function drifted(document: Json, { seen, api }: Ask<'drift'>): DriftAnswer {
  const described = new Map(listOperations(document).operations.map((operation) => [operationKey(operation), operation]));
  const drift = seen.flatMap(([operationId, method, path, packed]) => {
    const own = described.get(operationKey({ method, path }));
    if (!own) return [];
    const [item, operation] = [valueAt(document, pointerOf('paths', own.path)), valueAt(document, own.pointer)];
    if (!isRecord(item) || !isRecord(operation)) return [];
    return driftOf(document, item, operation, unpack<SeenOperation>(packed)).map((one) => ({ ...one, operationId, method, path }));
  });
  return { drift, security: securityGaps(document, api) };
}

parentPort?.postMessage(answer(workerData as ContractQuestion));
