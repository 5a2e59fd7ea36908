// The thread that reads contracts: fetches or unseals their texts, reads them and takes them apart.
import { isRecord, namesOf, readContract, splitContract } from '@virga/core';
import { giveWay } from '@virga/threads';
import { hash as hashOf } from 'node:crypto';
import { join } from 'node:path';
import { parentPort, workerData } from 'node:worker_threads';
import { request } from 'undici';
import { SealedFile } from '../snapshot/sealed-file.js';
import { packTexts } from './held-texts.js';
import type { ContractThreadData, FromContractThread, ReadContractAsk } from './contract-messages.js';

const MAX_BYTES = 64 * 1024 * 1024;
const SILENCE_MS = 10_000;

const { controlUrl, token, folder } = workerData as ContractThreadData;
const tell = (message: FromContractThread, handed: readonly ArrayBuffer[] = []): void => parentPort?.postMessage(message, handed);
const isRight = (text: string, hash: string): boolean => hashOf('sha256', text, 'hex') === hash;

async function kept(file: SealedFile, hash: string): Promise<string | null> {
  const found = await file.read();
  const text = found.state === 'read' && isRecord(found.value) ? found.value['text'] : null;
  return typeof text === 'string' && isRight(text, hash) ? text : null;
}

async function fetched(hash: string): Promise<string> {
  const answer = await request(`${controlUrl}/nodes/v1/contracts/${hash}`, {
    headersTimeout: SILENCE_MS,
    bodyTimeout: SILENCE_MS,
    headers: { authorization: `Bearer ${token}` },
  });
  if (answer.statusCode !== 200) {
    await answer.body.dump();
    throw new Error(`the control plane answered ${answer.statusCode}`);
  }
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of answer.body as AsyncIterable<Buffer>) {
    size += part.length;
    if (size > MAX_BYTES) throw new Error('its text is too long');
    parts.push(part);
  }
  const text = Buffer.concat(parts).toString('utf8');
  if (!isRight(text, hash)) throw new Error('its text is not the one that was asked for');
  return text;
}

async function read(hash: string): Promise<void> {
  const file = folder === null ? null : new SealedFile(token, 'a contract', join(folder, `${hash}.sealed`));
  let text = file && (await kept(file, hash));
  if (text === null) {
    text = await fetched(hash);
    await file?.write({ text });
    if (file?.problem) tell({ type: 'log', text: file.problem });
  }
  const { document, version, problems } = readContract(text);
  if (document === null || version === null) throw new Error(problems[0]?.message ?? 'it cannot be read');
  const parts = packTexts(splitContract(document));
  // Their bytes belong to who serves from then on.
  tell({ type: 'read', version, names: namesOf(document, version), parts }, [parts.bytes.buffer, parts.offsets.buffer]);
}

giveWay('background');
parentPort?.on('message', ({ hash }: ReadContractAsk) => void read(hash).catch((error: Error) => tell({ type: 'failed', says: error.message })));
