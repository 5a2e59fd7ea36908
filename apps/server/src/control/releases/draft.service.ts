import { Inject, Injectable } from '@nestjs/common';
import { canonicalJson, checkDocument, closedPorts, compileRelease, ConfigError, RELEASE_FORMAT, type KeySource, type ReleaseDocument } from '@virga/core';
import type { FieldProblem } from '@virga/protocol';
import { createHash } from 'node:crypto';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { readDraft, writeDraft } from '../../store/draft-store.js';
import { Store } from '../../store/store.js';

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
  change(edit: (document: ReleaseDocument) => ReleaseDocument, part?: DraftPart): Promise<ReleaseDocument> {
    const run = this.#last.then(async () => {
      const before = this.#document;
      const after = edit(before);
      if (after === before) return before;
      checkPart(after, part);
      await writeDraft(this.#store, before, after);
      this.#document = after;
      this.#hash = null;
      this.#problems = null;
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

function checkPart(document: ReleaseDocument, part: DraftPart | undefined): void {
  try {
    checkDocument(document);
  } catch (error) {
    if (!part || !(error instanceof ConfigError)) throw error;
    const prefix = `/${part.kind}/${document[part.kind].findIndex((item) => item.id === part.id)}/`;
    if (!error.pointer.startsWith(prefix)) throw error;
    // Operations are changed together by one request, which has their members at its top.
    throw new ConfigError(`/${error.pointer.slice(prefix.length).replace(/^operations\/\d+\/(?=access|token)/, '')}`, error.message);
  }
}

function problemsOf(document: ReleaseDocument): FieldProblem[] {
  try {
    compileRelease(document, closedPorts({ now: () => 0, ticks: () => 0, digest: (text) => text, keys: NO_KEYS }));
    return [];
  } catch (error) {
    if (error instanceof ConfigError) return [{ pointer: error.pointer, detail: error.message }];
    throw error;
  }
}
