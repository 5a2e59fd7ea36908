import { readContract } from '@virga/core';
import converter from 'swagger2openapi';
import { parentPort, workerData } from 'node:worker_threads';
import { parse } from 'yaml';
import type { UpgradeAnswer } from './contract-question.js';

/** Makes an OpenAPI 3.0 description of one of version 2.0, away from the threads that serve. Fetches nothing. */
async function upgrade(text: string): Promise<UpgradeAnswer> {
  // What is read elsewhere with bounds is read with the same bounds here: of version 2.0 it says no more than that it is.
  const { document, problems } = readContract(text);
  if (document === null) return { text: null, says: problems[0]?.message ?? 'it cannot be read' };
  try {
    const { openapi } = await converter.convertObj(parse(text, { maxAliasCount: 1000 }) as Parameters<typeof converter.convertObj>[0], {
      patch: true,
      warnOnly: true,
      resolve: false,
    });
    return { text: `${JSON.stringify({ ...openapi, 'x-upgraded-from': '2.0' }, null, 2)}\n`, says: '' };
  } catch (error) {
    return { text: null, says: (error as Error).message };
  }
}

parentPort?.postMessage(await upgrade((workerData as { text: string }).text));
