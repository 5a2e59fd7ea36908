import { decidePhase, entryOf, readContract, wholeContract } from '@virga/core';

/** The contracts of all APIs, as a node would hold them. */
export async function heldContracts(control) {
  const held = new Map();
  for (const { id } of (await control.get('/apis')).items) {
    const api = await control.get(`/apis/${id}`);
    if (api.contractHash === null) continue;
    const { document, version } = readContract((await control.get(`/apis/${id}/contract`)).text);
    held.set(api.contractHash, wholeContract(document, version));
  }
  return { find: (hash) => held.get(hash) ?? null };
}

/**
 * Takes a call of the history through the later phases, with the answer that the upstream gives to it.
 * @param answers those that were fetched before, by call
 * @returns what it ended with where it was refused, the status that the caller got, and what the upstream answered
 */
export async function throughContract(release, exchange, call, answers) {
  const { operation, api, body } = exchange;
  if (body !== null) body.content = { kind: 'bytes', bytes: Buffer.from(JSON.stringify(call.body)) };
  const refused = (verdict) => verdict && { finding: verdict.finding, status: entryOf(verdict.finding.code).status };
  const stopped = decidePhase(release, exchange, 'request-content');
  if (stopped) return refused(stopped);
  // What only looks is not asked of a service where that would change something.
  const watched = call.method === 'GET' && (api.rule.learning.on || api.rule.sensitive.uses.length > 0);
  if (operation.needs.answerContent === null && !watched) return {};
  const path = new URL(api.rule.upstream.url).origin + exchange.below + exchange.query;
  const key = `${call.method} ${path} ${JSON.stringify(call.body ?? null)}`;
  let answer = answers.get(key);
  if (!answer) {
    const got = await fetch(path, { method: call.method, ...(call.body ? { body: JSON.stringify(call.body) } : {}) });
    answer = { status: got.status, headers: Object.fromEntries(got.headers), bytes: Buffer.from(await got.arrayBuffer()) };
    answers.set(key, answer);
  }
  if (operation.needs.answerContent === null) return { status: answer.status, answer };
  exchange.answer = {
    ...answer,
    bodyless: false,
    bytes: answer.bytes.length,
    seen: 0,
    instead: null,
    fields: null,
    content: { kind: 'bytes', bytes: answer.bytes },
  };
  const verdict = decidePhase(release, exchange, 'answer-head') ?? decidePhase(release, exchange, 'answer-content');
  return { ...(refused(verdict) ?? { status: answer.status }), answer };
}
