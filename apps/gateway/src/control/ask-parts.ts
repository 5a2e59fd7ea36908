import type { PartsAsk } from '@virga/protocol/node';
import { request } from 'undici';

/** Bytes of one part at most: a list of operations, or the lines of a whole answer while they are joined. */
const MAX_PART = 4 * 1024 * 1024;

/** How long the control plane may be silent. */
const SILENCE_MS = 8000;

/** Where parts of documents come from. */
export interface PartsAddress {
  readonly controlUrl: string;
  readonly token: string;
}

/**
 * Asks the control plane for parts of documents, one line at a time; empty where it does not know one.
 * @throws Error when it does not answer, or with too long a line
 */
export async function* askParts({ controlUrl, token }: PartsAddress, hashes: readonly string[]): AsyncGenerator<string> {
  const answer = await request(`${controlUrl}/nodes/v1/parts`, {
    method: 'POST',
    headersTimeout: SILENCE_MS,
    bodyTimeout: SILENCE_MS,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    body: JSON.stringify({ hashes } satisfies PartsAsk),
  });
  if (answer.statusCode !== 200) {
    await answer.body.dump();
    throw new Error(`parts of the document could not be fetched: the control plane answered ${answer.statusCode}`);
  }
  const decoder = new TextDecoder();
  let rest = '';
  for await (const bytes of answer.body as AsyncIterable<Buffer>) {
    const lines = (rest + decoder.decode(bytes, { stream: true })).split('\n');
    rest = lines.pop() ?? '';
    if (rest.length > MAX_PART) throw new Error('a part of the document is too long');
    yield* lines;
  }
}
