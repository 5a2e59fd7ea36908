import { Body, Controller, Get, Inject, Param, ParseIntPipe, Post, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import type { ReleaseDocument } from '@virga/core';
import {
  EditPage,
  EditQuery,
  NodeList,
  PublishInput,
  PublishView,
  ReleaseList,
  ReleaseView,
  StandingView,
  type EditView,
  type NodeView,
} from '@virga/protocol';
import { originAt } from '@virga/protocol/node';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { NodeHub, type KnownNode } from '../../nodes/node-hub.js';
import { CalledBy, type Caller } from '../../session/access.guard.js';
import { ClientRow } from '../../store/models/clients.js';
import { PersonaRow } from '../../store/models/configuration.js';
import { Store } from '../../store/store.js';
import { Background } from '../../http/background.js';
import { Endpoint } from '../../http/endpoint.js';
import { problem } from '../../http/problems.js';
import type { DraftChangeRow } from '../../store/models/changes.js';
import { readEdits } from '../../store/change-log.js';
import { DraftService } from './draft.service.js';
import { ReleasesService } from './releases.service.js';

const SHOWN_CHANGES = 200;
/** A node that has said nothing for this long counts as away, though its connection is open. */
const SILENCE_MS = 8000;

@ApiTags('releases')
@Controller('control/v1')
export class ReleasesController {
  constructor(
    private readonly releases: ReleasesService,
    private readonly draft: DraftService,
    private readonly hub: NodeHub,
    private readonly store: Store,
    private readonly background: Background,
    @Inject(SETTINGS) private readonly settings: ServerSettings,
  ) {}

  @Get('standing')
  @Endpoint({ summary: 'What is live, what is not, and where', answer: StandingView })
  async standing(): Promise<StandingView> {
    const changes = this.releases.changes();
    const nodes = this.hub.nodes.map((node) => nodeView(node, this.hub.directoryNumber));
    return {
      environment: this.settings.environment,
      gatewayUrl: nodes[0]?.gatewayUrl || originAt(this.settings.host, this.settings.gatewayPort),
      live: this.releases.live?.summary ?? null,
      changes: changes.slice(0, SHOWN_CHANGES).map((change) => ({ ...change })),
      changeCount: changes.length,
      problems: [...this.draft.problems],
      storage: this.store.problem,
      failing: [...this.background.problems],
      nodes,
      apiCount: this.draft.document.apis.length,
      providerCount: this.draft.document.providers.length,
      personaCount: await PersonaRow.count(),
      clientCount: await ClientRow.count(),
    };
  }

  @Get('nodes')
  @Endpoint({ summary: 'Gateway nodes', answer: NodeList })
  nodes(): NodeList {
    return { items: this.hub.nodes.map((node) => nodeView(node, this.hub.directoryNumber)) };
  }

  @Get('releases')
  @Endpoint({ summary: 'Releases, newest first', answer: ReleaseList })
  async list(): Promise<ReleaseList> {
    return { items: await this.releases.list() };
  }

  @Get('releases/:number')
  @Endpoint({ summary: 'One release and what it changed', answer: ReleaseView, errors: [404] })
  view(@Param('number', ParseIntPipe) number: number): Promise<ReleaseView> {
    return this.releases.view(number);
  }

  @Get('releases/:number/document')
  @Endpoint({ summary: 'The document of a release, as nodes get it', errors: [404], status: 200 })
  document(@Param('number', ParseIntPipe) number: number): Promise<ReleaseDocument> {
    return this.releases.document(number);
  }

  @Post('releases')
  @Endpoint({ summary: 'Publish the draft', body: PublishInput, answer: PublishView, status: 201, errors: [409] })
  publish(@Body() input: PublishInput, @CalledBy() caller: Caller): Promise<PublishView> {
    return this.releases.publish(caller.name, input.note ?? '', input.overrule ?? []);
  }

  @Post('releases/:number/roll-back')
  @Endpoint({ summary: 'Publish an earlier release again', body: PublishInput, answer: PublishView, status: 201, errors: [404, 409] })
  rollBack(@Param('number', ParseIntPipe) number: number, @Body() input: PublishInput, @CalledBy() caller: Caller): Promise<PublishView> {
    return this.releases.rollBack(number, caller.name, input.note ?? '');
  }

  @Post('releases/:number/into-draft')
  @Endpoint({ summary: 'Make the draft equal to a release; what the draft had is lost', errors: [404] })
  async intoDraft(@Param('number', ParseIntPipe) number: number, @CalledBy() caller: Caller): Promise<void> {
    await this.releases.takeIntoDraft(number, caller.name);
  }

  @Get('draft/document')
  @Endpoint({ summary: 'The document of the draft, as a release of it would be', status: 200 })
  draftDocument(): ReleaseDocument {
    return this.draft.document;
  }

  @Post('draft/discard')
  @Endpoint({ summary: 'Make the draft equal to what is live', errors: [409] })
  async discard(@CalledBy() caller: Caller): Promise<void> {
    const live = this.releases.live;
    if (!live) throw problem(409, 'Nothing is live yet', 'There is no release to go back to.');
    await this.releases.takeIntoDraft(live.summary.number, caller.name);
  }

  @Get('draft/edits')
  @Endpoint({ summary: 'Edits of the draft and of clients, newest first, and whether their chain holds', answer: EditPage })
  async edits(@Query() { before, limit = 50 }: EditQuery): Promise<EditPage> {
    const { rows, brokenAt, more } = await readEdits(before, limit);
    return { items: rows.map(editView), brokenAt, next: more ? (rows[rows.length - 1]?.number ?? null) : null };
  }

  @Post('draft/edits/:number/take-back')
  @Endpoint({ summary: 'Take an edit of the draft back, where nothing of it was changed again since', errors: [404, 409] })
  async takeBack(@Param('number', ParseIntPipe) number: number, @CalledBy() caller: Caller): Promise<void> {
    await this.draft.takeBack(number, caller.name);
  }
}

const editView = ({ number, at, by, words, takesBack, clientId, hash }: DraftChangeRow): EditView => ({
  number,
  at: Number(at),
  by,
  words: words === '' ? [] : words.split('\n'),
  takesBack,
  clientId,
  hash,
});

function nodeView(node: KnownNode, directory: number): NodeView {
  const status = node.status;
  const there = node.channel !== null && status !== null && Date.now() - node.seenAt < SILENCE_MS;
  return {
    name: node.name,
    // A node counts as connected once it has said what it serves, and knows what the directory has changed meanwhile.
    state: !there ? 'away' : (status.directory ?? -1) < directory ? 'catching-up' : 'connected',
    release: status?.release?.number ?? null,
    effectiveAt: status?.release?.effectiveAt ?? null,
    seenAt: node.seenAt,
    startedAt: status?.startedAt ?? node.seenAt,
    gatewayUrl: status?.gatewayUrl ?? '',
    knownTokens: status?.knownTokens ?? 0,
    knownClients: status?.knownClients ?? 0,
    problem:
      [...(status?.refusedRelease ? [`release ${status.refusedRelease.number}: ${status.refusedRelease.reason}`] : []), ...(status?.problems ?? [])].join(
        '; ',
      ) || null,
  };
}
