import { Injectable } from '@nestjs/common';
import { describeLimit, subjectWords } from '@virga/core';
import { limitOf, limitView, type ClientStanding, type LimitsPatch, type LimitsView } from '@virga/protocol';
import { notFound } from '../../http/problems.js';
import { NodeHub } from '../../nodes/node-hub.js';
import type { EditedBy } from '../../session/edited-by.js';
import { ClientRow } from '../../store/models/clients.js';
import { partOf, revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { knownClient } from './known-client.js';

const PART = { kind: 'limits' } as const;

/** Limits of the gateway as a whole, and how limits of a client stand. */
@Injectable()
export class LimitsService {
  constructor(
    private readonly draft: DraftService,
    private readonly hub: NodeHub,
    private readonly releases: ReleasesService,
  ) {}

  view(): LimitsView {
    const { limits, guessing, counting } = this.draft.document;
    const nodes = this.hub.connected;
    const shared = nodes.map(({ status }) => status?.counts ?? 'each');
    return {
      revision: revisionOf(partOf(this.draft.document, PART) ?? {}),
      limits: limits.map(limitView),
      says: limits.map(describeLimit),
      guessing: guessing && { ...guessing },
      counting: { ...counting },
      nodes: nodes.length,
      counted: shared.includes('away') ? 'away' : shared.includes('each') || shared.length === 0 ? 'each' : 'together',
    };
  }

  async change({ limits, guessing, counting }: LimitsPatch, edited: EditedBy): Promise<LimitsView> {
    await this.draft.change({ part: PART, ...edited }, (document) => ({
      ...document,
      ...(limits === undefined ? {} : { limits: limits.map(limitOf) }),
      ...(guessing === undefined
        ? {}
        : {
            guessing: guessing && {
              mode: guessing.mode,
              seconds: guessing.seconds,
              byAddress: guessing.byAddress ?? null,
              byCredential: guessing.byCredential ?? null,
            },
          }),
      ...(counting === undefined ? {} : { counting: { away: counting.away, sharePercent: counting.sharePercent, tell: counting.tell } }),
    }));
    return this.view();
  }

  /** How the limits that requests of a client are counted by stand now, as nodes say. Nodes that count together are asked once. */
  async ofClient(clientId: string): Promise<ClientStanding> {
    const row = await ClientRow.findByPk(clientId, { raw: true });
    if (!row) throw notFound('client');
    const issuers = new Map((this.releases.live?.document.providers ?? []).map(({ id, issuer }) => [id, issuer]));
    const client = await knownClient(row, (providerId) => issuers.get(providerId) ?? null);
    const nodes = this.hub.connected;
    const together = nodes.filter(({ status }) => status?.counts === 'together');
    const asked = [...together.slice(0, 1), ...nodes.filter((node) => !together.includes(node))];
    const answers = await Promise.all(
      asked.map(async ({ name }) => {
        try {
          return { node: together.length > 1 ? 'all nodes' : name, ...(await this.hub.standingOf(name, client)), silent: null };
        } catch (error) {
          return { node: name, standings: [], unknown: [], more: 0, silent: `${name}: ${(error as Error).message}` };
        }
      }),
    );
    const unknown = answers.flatMap((answer) => answer.unknown.map(({ name, rule, by }) => ({ name, rule, says: subjectWords(by) })));
    return {
      items: answers.flatMap(({ node, standings }) => standings.map((one) => ({ ...one, by: one.by.kind, node }))),
      // What hangs on requests hangs on them at every node.
      unknown: [...new Map(unknown.map((one) => [`${one.rule}\n${one.name}`, one])).values()],
      more: Math.max(0, ...answers.map(({ more }) => more)),
      silent: answers.flatMap(({ silent }) => silent ?? []),
    };
  }
}
