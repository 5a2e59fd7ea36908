import { Inject, Injectable } from '@nestjs/common';
import {
  canonicalJson,
  ConfigError,
  diffReleases,
  emptyDocument,
  listChanges,
  RELEASE_FORMAT,
  revertChanges,
  upgradeDocument,
  type DocumentChange,
  type ReleaseDocument,
} from '@virga/core';
import type { FieldProblem } from '@virga/protocol';
import { createHash } from 'node:crypto';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { readDraft, writeDraft } from '../../store/draft-store.js';
import { Store } from '../../store/store.js';
import { notFound, problem } from '../../http/problems.js';
import { appendEdit, findEdit } from '../../store/change-log.js';
import { compileProblem, problemsOf } from './compile-draft.js';
import type { DraftPart } from './draft-part.js';
import { staleProblem } from './stale-edit.js';

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
    this.#document = emptyDocument(settings.environment);
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
   * Changes the draft. The edit is computed from what the draft holds when its turn comes, and is written down together with
   * who made it. Parts that stay must stay the same objects.
   * @throws ConfigError when the result is wrong in itself; nothing is changed then
   * @throws problem 412 when the part is not any more what `ifMatch` says
   */
  change(
    { part, ifMatch = null, by, takesBack = null }: EditFacts,
    edit: (document: ReleaseDocument) => ReleaseDocument | Promise<ReleaseDocument>,
  ): Promise<ReleaseDocument> {
    const run = this.#last.then(async () => {
      const before = this.#document;
      const stale = part && ifMatch !== null ? await staleProblem(before, part, ifMatch) : null;
      if (stale) throw stale;
      const after = await edit(before);
      if (after === before) return before;
      const changes = listChanges(before, after);
      if (changes.length === 0) return before;
      const wrong = await compileProblem(after);
      // A draft that was wrong in the same way before may be edited elsewhere, or nobody could ever mend it.
      if (wrong && !this.problems.some((known) => known.pointer === wrong.pointer && known.detail === wrong.message)) throw atPart(wrong, after, part);
      const words = diffReleases(before, after).map(({ subject, detail }) => `${subject}: ${detail}`);
      const made = { at: Date.now(), by, words, before: this.hash, after: hashOf(after), changes, takesBack, clientId: null };
      await writeDraft(this.#store, before, after, (transaction) => appendEdit(made, transaction));
      this.#document = after;
      this.#hash = made.after;
      this.#problems = wrong ? [{ pointer: wrong.pointer, detail: wrong.message }] : [];
      return after;
    });
    this.#last = run.catch(() => undefined);
    return run;
  }

  /** Takes one edit back, where nothing that it changed was changed again since. @throws problem 404 or 409 */
  async takeBack(number: number, by: string): Promise<void> {
    const row = await findEdit(number);
    if (!row) throw notFound('edit');
    if (row.clientId !== null)
      throw problem(409, 'It acted at once', 'What was done to a client or a table acted at once and is not taken back from here. Change it there instead.');
    await this.change({ by, takesBack: number }, (document) => {
      const reverted = revertChanges(document, JSON.parse(row.changes) as DocumentChange[]);
      if ('conflict' in reverted)
        throw problem(409, 'It was changed again since', `What edit ${number} changed is not any more what it made of it. Take the later edits back first.`);
      return withSameParts(document, reverted.document);
    });
  }
}

/** Who changes the draft, and what is known of it. */
export interface EditFacts {
  readonly by: string;
  /** What the change is about: pointers of errors inside it begin there, as the fields of a request do. */
  readonly part?: DraftPart;
  /** The revision of the part that the change was made from; null when nobody says. */
  readonly ifMatch?: string | null;
  /** The edit that this one takes back. */
  readonly takesBack?: number | null;
}

/** Parts that are equal to those of another document become the same objects, so that nothing is written that stays. */
function withSameParts(before: ReleaseDocument, after: ReleaseDocument): ReleaseDocument {
  const keep = <T extends { readonly id: string }>(old: readonly T[], fresh: readonly T[]): readonly T[] => {
    const known = new Map(old.map((item) => [item.id, item]));
    return fresh.map((item) => {
      const earlier = known.get(item.id);
      return earlier && canonicalJson(earlier) === canonicalJson(item) ? earlier : item;
    });
  };
  return { ...after, providers: keep(before.providers, after.providers), apis: keep(before.apis, after.apis) };
}

/** A mistake with its pointer as the fields of the request have it. */
function atPart(error: ConfigError, document: ReleaseDocument, part: DraftPart | undefined): ConfigError {
  if (!part || !('id' in part)) return error;
  if (part.kind === 'authorizers') return atAuthorizer(error, document);
  const prefix = `/${part.kind}/${document[part.kind].findIndex((item) => item.id === part.id)}/`;
  if (!error.pointer.startsWith(prefix)) return error;
  // Operations are changed together by one request, which has their members at its top.
  return new ConfigError(
    `/${error.pointer.slice(prefix.length).replace(/^operations\/\d+\/(?=access|token|message|modes|addresses|conditions|authorizers|plan|limits)/, '')}`,
    error.message,
  );
}

/** The members of an authorizer as a request has them, which tells a script from a service by its member. */
function atAuthorizer(error: ConfigError, { authorizers }: ReleaseDocument): ConfigError {
  const [, index, rest] = /^\/authorizers\/(\d+)(\/.*)$/.exec(error.pointer) ?? [];
  const rule = index === undefined ? undefined : authorizers[Number(index)];
  return rule && rest !== undefined ? new ConfigError(rest.replace(/^\/by\//, `/${rule.by.kind}/`), error.message) : error;
}
