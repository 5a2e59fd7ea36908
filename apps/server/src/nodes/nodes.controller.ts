import { type CanActivate, type ExecutionContext, Body, Controller, Get, HttpCode, Injectable, Param, Post, Query, Req, Res, UseGuards } from '@nestjs/common';
import { ApiExcludeController } from '@nestjs/swagger';
import { isRecord, MAX_PARTS, type RecordBatch } from '@virga/core';
import type { FeedMessage, NodeAnswer, NodeStatus, SightingReport } from '@virga/protocol';
import type { Request, Response } from 'express';
import { pipeline } from 'node:stream/promises';
import { problem } from '../http/problems.js';
import { ContractService } from '../control/contract/contract.service.js';
import { LearnedTrafficService } from '../record/learned-traffic.service.js';
import { RecordService } from '../record/record.service.js';
import { bearerOf, OpenEndpoint } from '../session/access.guard.js';
import { SessionService } from '../session/session.service.js';
import { NodeHub } from './node-hub.js';

@Injectable()
export class NodeGuard implements CanActivate {
  constructor(private readonly sessions: SessionService) {}

  canActivate(context: ExecutionContext): boolean {
    const bearer = bearerOf(context.switchToHttp().getRequest<Request>());
    if (bearer === null || !this.sessions.isNodeToken(bearer)) throw problem(401, 'The node token is missing or wrong');
    return true;
  }
}

/** The nodes' own channel: a feed down, posts up. Not part of the control API. */
@ApiExcludeController()
@OpenEndpoint()
@UseGuards(NodeGuard)
@Controller('nodes/v1')
export class NodesController {
  constructor(
    private readonly hub: NodeHub,
    private readonly records: RecordService,
    private readonly contracts: ContractService,
    private readonly learned: LearnedTrafficService,
  ) {}

  @Get('feed')
  feed(@Query('node') name: unknown, @Req() request: Request, @Res() response: Response): void {
    if (typeof name !== 'string' || !/^[\w.-]{1,60}$/.test(name)) throw problem(422, 'A node has a name of letters, digits, dots and dashes');
    request.socket.setTimeout(0);
    response.writeHead(200, { 'content-type': 'application/x-ndjson', 'cache-control': 'no-store' });
    const send = (message: FeedMessage): void => void response.write(`${JSON.stringify(message)}\n`);
    response.on('close', () => this.hub.disconnect(name, send));
    this.hub.connect(name, send);
  }

  /** Parts of documents, one line for each hash in order; an empty line where nobody knows it. */
  @Post('parts')
  async parts(@Body() body: unknown, @Res() response: Response): Promise<void> {
    const hashes = isRecord(body) ? body['hashes'] : null;
    if (!Array.isArray(hashes) || hashes.length > MAX_PARTS || !hashes.every((hash): hash is string => typeof hash === 'string'))
      throw problem(422, `Parts are asked for with a list of at most ${MAX_PARTS} hashes`);
    response.writeHead(200, { 'content-type': 'application/x-ndjson', 'cache-control': 'no-store' });
    await pipeline(this.#lines(hashes), response).catch(() => undefined);
  }

  *#lines(hashes: readonly string[]): Generator<string> {
    for (const hash of hashes) yield `${this.hub.part(hash) ?? ''}\n`;
  }

  /** The text of a contract, under the hash that releases know it by. */
  @Get('contracts/:hash')
  async contract(@Param('hash') hash: string, @Res() response: Response): Promise<void> {
    const row = /^[0-9a-f]{64}$/.test(hash) ? await this.contracts.find(hash) : null;
    if (!row) throw problem(404, 'There is no such contract');
    response.type('text/plain; charset=utf-8').set('cache-control', 'no-store').send(row.text);
  }

  @Post('status')
  @HttpCode(204)
  status(@Body() status: NodeStatus): void {
    this.hub.takeStatus(status);
  }

  @Post('answers')
  @HttpCode(204)
  answer(@Body() answer: NodeAnswer): void {
    this.hub.takeAnswer(answer);
  }

  @Post('sightings')
  @HttpCode(204)
  async sightings(@Body() report: SightingReport): Promise<void> {
    await this.learned.take(report);
  }

  @Post('records')
  @HttpCode(204)
  async take(@Body() batch: RecordBatch & { id: string; node: string }): Promise<void> {
    await this.records.take(batch.node, batch.id, batch);
  }
}
