import { Inject, Injectable } from '@nestjs/common';
import { canonicalJson, ConfigError, RELEASE_FORMAT, upgradeDocument, type ReleaseDocument } from '@virga/core';
import type { FieldProblem } from '@virga/protocol';
import { createHash } from 'node:crypto';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { readDraft, writeDraft } from '../../store/draft-store.js';
import { Store } from '../../store/store.js';
import { compileProblem, problemsOf } from './compile-draft.js';

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
    const stored = await readDraft(this.#settings.environment);
    this.#document = upgradeDocument(stored);
    if (stored.format !== RELEASE_FORMAT) await writeDraft(this.#store, stored, this.#document);
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
  return new ConfigError(`/${error.pointer.slice(prefix.length).replace(/^operations\/\d+\/(?=access|token|message|modes)/, '')}`, error.message);
}
