import { Inject, Injectable } from '@nestjs/common';
import { canonicalJson, closedPorts, compileInSteps, compileRelease, ConfigError, RELEASE_FORMAT, type KeySource, type ReleaseDocument } from '@virga/core';
import type { FieldProblem } from '@virga/protocol';
import { createHash } from 'node:crypto';
import { setImmediate } from 'node:timers/promises';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { readDraft, writeDraft } from '../../store/draft-store.js';
import { Store } from '../../store/store.js';

/** How long checking a draft may keep the thread at one time, milliseconds. */
const SLICE_MS = 10;

const NO_KEYS: KeySource = {
  held: () => ({ generation: 0, state: 'none', keys: [] }),
  refetch: () => Promise.resolve({ generation: 0, state: 'none', keys: [] }),
};

/** SHA-256 of the canonical JSON of a release. */
export function hashOf(document: ReleaseDocument): string {
  return createHash('sha256').update(canonicalJson(document)).digest('hex');
}

/** The draft: one document in memory, every change of it written through to the database. Changes go one after another. */
@Injectable()
export class DraftService {
  readonly #store: Store;
  readonly #settings: ServerSettings;
  #document: ReleaseDocument;
  #hash: string | null = null;
  #problems: FieldProblem[] | null = null;
  #last: Promise<unknown> = Promise.resolve();

  constructor(store: Store, @Inject(SETTINGS) settings: ServerSettings) {
    this.#store = store;
    this.#settings = settings;
    this.#document = { format: RELEASE_FORMAT, environment: settings.environment, providers: [], certificateHeader: null, apis: [] };
  }

  async load(): Promise<void> {
    this.#document = await readDraft(this.#settings.environment);
  }

  get document(): ReleaseDocument {
    return this.#document;
  }

  get hash(): string {
    return (this.#hash ??= hashOf(this.#document));
  }

  /** Why the draft cannot be published; empty when it can. */
  get problems(): readonly FieldProblem[] {
    return (this.#problems ??= problemsOf(this.#document));
  }

  /**
   * Changes the draft. Parts that stay must stay the same objects.
   * @param part what the change is about: pointers of errors inside it begin there, as the fields of a request do
   * @throws ConfigError when the result is wrong in itself; nothing is changed then
   */
  change(edit: (document: ReleaseDocument) => ReleaseDocument | Promise<ReleaseDocument>, part?: DraftPart): Promise<ReleaseDocument> {
    const run = this.#last.then(async () => {
      const before = this.#document;
      const after = await edit(before);
      if (after === before) return before;
      const problem = await compileProblem(after);
      // A draft that was wrong in the same way before may be edited elsewhere, or nobody could ever mend it.
      if (problem && !this.problems.some((known) => known.pointer === problem.pointer && known.detail === problem.message)) throw atPart(problem, after, part);
      await writeDraft(this.#store, before, after);
      this.#document = after;
      this.#hash = null;
      this.#problems = problem ? [{ pointer: problem.pointer, detail: problem.message }] : [];
      return after;
    });
    this.#last = run.catch(() => undefined);
    return run;
  }
}

/** A provider or an API of the draft. */
export interface DraftPart {
  readonly kind: 'providers' | 'apis';
  readonly id: string;
}

/** A mistake with its pointer as the fields of the request have it. */
function atPart(error: ConfigError, document: ReleaseDocument, part: DraftPart | undefined): ConfigError {
  if (!part) return error;
  const prefix = `/${part.kind}/${document[part.kind].findIndex((item) => item.id === part.id)}/`;
  if (!error.pointer.startsWith(prefix)) return error;
  // Operations are changed together by one request, which has their members at its top.
  return new ConfigError(`/${error.pointer.slice(prefix.length).replace(/^operations\/\d+\/(?=access|token)/, '')}`, error.message);
}

const PORTS = closedPorts({ now: () => 0, ticks: () => 0, digest: (text) => text, keys: NO_KEYS });

/** Why a document could not be published; null when it could: what the draft takes, a release takes. Lets others run in between. */
async function compileProblem(document: ReleaseDocument): Promise<ConfigError | null> {
  try {
    const compiling = compileInSteps(document, PORTS);
    for (let from = performance.now(); !compiling.next().done;) {
      if (performance.now() - from < SLICE_MS) continue;
      await setImmediate();
      from = performance.now();
    }
    return null;
  } catch (error) {
    if (error instanceof ConfigError) return error;
    throw error;
  }
}

function problemsOf(document: ReleaseDocument): FieldProblem[] {
  try {
    compileRelease(document, PORTS);
    return [];
  } catch (error) {
    if (error instanceof ConfigError) return [{ pointer: error.pointer, detail: error.message }];
    throw error;
  }
}
