import { Injectable } from '@nestjs/common';
import { canonicalJson, operationKey, type ApiRule, type OfferedDifference, type ReleaseDocument } from '@virga/core';
import type { OfferedRelease } from '@virga/protocol';
import { ContractService } from '../control/contract/contract.service.js';
import type { ChangesAnswer } from '../control/contract/contract-question.js';
import { ReleasesService } from '../control/releases/releases.service.js';

/** Releases that are looked back over, and changes that are named of one. */
const BACK = 40;
const MOST = 300;

interface Step {
  readonly at: number;
  readonly versions: ReadonlyMap<string, string>;
  readonly changes: ReadonlyMap<string, readonly OfferedDifference[]>;
}

/** What each release changed for those who call its APIs: operations that are new, changed, deprecated or gone. */
@Injectable()
export class OfferedChangesService {
  /** By number of release: what it changed never changes. */
  readonly #steps = new Map<number, Step>();
  #running: Promise<void> = Promise.resolve();

  constructor(
    private readonly releases: ReleasesService,
    private readonly contracts: ContractService,
  ) {}

  /** Newest first; releases that changed nothing of it are left out. */
  async of(apiId: string): Promise<OfferedRelease[]> {
    await this.#read();
    return [...this.#steps]
      .sort(([a], [b]) => b - a)
      .flatMap(([, { at, versions, changes }]) => {
        const own = changes.get(apiId) ?? [];
        return own.length === 0 ? [] : [{ at, version: versions.get(apiId) ?? '', changes: own.slice(0, MOST).map((one) => ({ ...one })) }];
      });
  }

  async lastOf(apiId: string): Promise<number | null> {
    return (await this.of(apiId))[0]?.at ?? null;
  }

  /** Reads what has not been read, one release after another; many who ask at once wait for one reading. */
  #read(): Promise<void> {
    this.#running = this.#running.catch(() => undefined).then(() => this.#readNew());
    return this.#running;
  }

  async #readNew(): Promise<void> {
    const last = this.releases.live?.summary.number ?? 0;
    if (this.#steps.has(last) || last === 0) return;
    const known = Math.max(0, ...this.#steps.keys());
    const first = Math.max(known + 1, last - BACK + 1, 1);
    let before = await this.releases.documentOf(first - 1);
    const at = new Map((await this.releases.list()).map(({ number, publishedAt }) => [number, publishedAt]));
    for (let number = first; number <= last; number++) {
      const after = await this.releases.documentOf(number);
      if (!after) continue;
      this.#steps.set(number, await this.#compare(before, after, at.get(number) ?? 0));
      before = after;
    }
  }

  async #compare(before: ReleaseDocument | null, after: ReleaseDocument, at: number): Promise<Step> {
    const changes = new Map<string, readonly OfferedDifference[]>();
    for (const api of after.apis) {
      const earlier = before?.apis.find(({ id }) => id === api.id);
      // What is there for the first time is new as a whole, which its being there says.
      if (earlier) changes.set(api.id, await this.#ofApi(earlier, api));
    }
    return { at, versions: new Map(after.apis.map(({ id, version }) => [id, version])), changes };
  }

  async #ofApi(before: ApiRule, after: ApiRule): Promise<OfferedDifference[]> {
    const old = new Map(before.operations.map((one) => [operationKey(one), one]));
    const shown = new Map(after.operations.filter(({ hidden }) => !hidden).map((one) => [operationKey(one), one]));
    const described = before.contractHash === after.contractHash ? [] : await this.#ofContract(before.contractHash, after.contractHash);
    const byContract = described.filter((one) => (one.kind === 'gone' ? old.get(operationKey(one))?.hidden === false : shown.has(operationKey(one))));
    const named = new Set(byContract.map(operationKey));
    const ofRules = [...shown].flatMap(([key, operation]): OfferedDifference[] => {
      const earlier = old.get(key);
      if (named.has(key)) return [];
      const { method, path, summary } = operation;
      // An operation that was hidden is new to whoever reads.
      if (!earlier || earlier.hidden) return [{ kind: 'new', method, path, summary }];
      return asked(before, earlier) === asked(after, operation) ? [] : [{ kind: 'changed', method, path, summary }];
    });
    return [...byContract, ...ofRules];
  }

  async #ofContract(before: string | null, after: string | null): Promise<ChangesAnswer> {
    const textOf = async (hash: string | null) => (hash === null ? null : this.contracts.find(hash));
    const [was, is] = [await textOf(before), await textOf(after)];
    return was && is ? this.contracts.ask<ChangesAnswer>({ kind: 'changes', text: is.text, before: was.text }) : [];
  }
}

/** What a caller has to bring, as far as the rules of a release say so. */
function asked(api: ApiRule, { access, token, plan }: ApiRule['operations'][number]): string {
  return canonicalJson([
    access ?? api.access,
    api.schemes.map(({ name, type, place }) => [name, type, place]),
    token?.places ?? api.token.places,
    (plan ?? api.plan).asked,
  ]);
}
