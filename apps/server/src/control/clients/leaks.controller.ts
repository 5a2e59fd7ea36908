import { type CanActivate, type ExecutionContext, Body, Controller, Delete, Get, HttpCode, Injectable, Post, Put, UseGuards } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { LeakInput, LeakReport, LeakRule, LeakRuleView, ScannerMade } from '@virga/protocol';
import type { Request } from 'express';
import { Endpoint } from '../../http/endpoint.js';
import { problem } from '../../http/problems.js';
import { bearerOf, CalledBy, OpenEndpoint, type Caller } from '../../session/access.guard.js';
import { LeaksService } from './leaks.service.js';

@ApiTags('leaks')
@Controller('control/v1/leaks')
export class LeaksController {
  constructor(private readonly leaks: LeaksService) {}

  @Post()
  @HttpCode(200)
  @Endpoint({ summary: 'Look a text through for credentials of clients; nothing of it is kept', body: LeakInput, answer: LeakReport })
  look(@Body() { text }: LeakInput, @CalledBy() caller: Caller): Promise<LeakReport> {
    return this.leaks.look(text, { by: caller.name, revoke: false, note: true });
  }

  @Get('rule')
  @Endpoint({ summary: 'What becomes of credentials that a scanner finds', answer: LeakRuleView })
  rule(): Promise<LeakRuleView> {
    return this.leaks.rule();
  }

  @Put('rule')
  @Endpoint({ summary: 'Say what becomes of credentials that a scanner finds', body: LeakRule, answer: LeakRuleView })
  setRule(@Body() rule: LeakRule): Promise<LeakRuleView> {
    return this.leaks.setRule(rule);
  }

  @Post('scanner')
  @Endpoint({ summary: 'Make the scanner’s credential, anew where there is one; it is in this answer only', answer: ScannerMade, status: 201 })
  makeScanner(): Promise<ScannerMade> {
    return this.leaks.makeScanner();
  }

  @Delete('scanner')
  @HttpCode(200)
  @Endpoint({ summary: 'Take the scanner’s credential back', answer: LeakRuleView })
  removeScanner(): Promise<LeakRuleView> {
    return this.leaks.removeScanner();
  }
}

/** Lets in the scanner's credential and no other. */
@Injectable()
export class ScannerGuard implements CanActivate {
  constructor(private readonly leaks: LeaksService) {}

  async canActivate(context: ExecutionContext): Promise<boolean> {
    const bearer = bearerOf(context.switchToHttp().getRequest<Request>());
    if (bearer === null || !(await this.leaks.isScanner(bearer))) throw problem(401, 'The scanner’s credential is missing or wrong');
    return true;
  }
}

/** What a scanner posts to, with a credential that opens nothing else. */
@ApiTags('scanner')
@OpenEndpoint()
@UseGuards(ScannerGuard)
@Controller('scanner/v1/leaks')
export class ScannerController {
  constructor(private readonly leaks: LeaksService) {}

  @Post()
  @HttpCode(200)
  @Endpoint({ summary: 'Tell of a text that others can read; takes the scanner’s credential', body: LeakInput, answer: LeakReport })
  async told(@Body() { text }: LeakInput): Promise<LeakReport> {
    const report = await this.leaks.told(text);
    // Who scans need not learn whose keys these are.
    return { ...report, found: report.found.map((one) => ({ ...one, clientId: '', clientName: '', owner: '', lastUsedAt: null, lastUsedFrom: null })) };
  }
}
