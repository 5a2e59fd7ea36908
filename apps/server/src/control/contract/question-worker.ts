import { acceptDeviation, editContract, readContract, valueAt } from '@virga/core';
import { parentPort, workerData } from 'node:worker_threads';
import type { AcceptAnswer, ContractQuestion, PlaceAnswer } from './contract-question.js';

/** Characters of a value that are shown. */
const MOST_SHOWN = 4000;

/** Answers a question about a description away from the threads that serve. */
function answer(question: ContractQuestion): PlaceAnswer | AcceptAnswer {
  const { document, locate } = readContract(question.text);
  if (question.kind === 'place') {
    const { pointer } = question;
    const value = document && valueAt(document, pointer);
    const text = value === undefined || value === null ? null : JSON.stringify(value, null, 2);
    return { line: locate([pointer]).get(pointer) ?? null, value: text && text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN)}…` : text };
  }
  const accepted = document && acceptDeviation(document, question.part, question.deviation);
  return accepted && { says: accepted.says, after: editContract(question.text, question.format, accepted.edits) };
}

parentPort?.postMessage(answer(workerData as ContractQuestion));
