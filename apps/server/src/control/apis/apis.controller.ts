import { Body, Controller, Delete, Get, Param, Patch, Post, Put } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import {
  ApiList,
  ApiPatch,
  ApiView,
  ContractReading,
  ContractSourceInput,
  ContractText,
  ImportInput,
  ImportView,
  ObservedList,
  OperationList,
  OperationPage,
  OperationsPatch,
  ReimportInput,
  ReimportView,
} from '@virga/protocol';
import { ContractService, readingOf } from '../contract/contract.service.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { Endpoint } from '../../http/endpoint.js';
import { notFound } from '../../http/problems.js';
import { OperationPageService } from './operation-page.service.js';
import { ApisService } from './apis.service.js';

@ApiTags('apis')
@Controller('control/v1')
export class ApisController {
  constructor(
    private readonly apis: ApisService,
    private readonly contracts: ContractService,
    private readonly pages: OperationPageService,
  ) {}

  @Post('contracts/read')
  @Endpoint({ summary: 'Read a description without keeping it', body: ContractSourceInput, answer: ContractReading, errors: [413] })
  async read(@Body() source: ContractSourceInput): Promise<ContractReading> {
    return readingOf(await this.contracts.read(await this.contracts.textOf(source)));
  }

  @Get('apis')
  @Endpoint({ summary: 'APIs of the draft', answer: ApiList })
  async list(): Promise<ApiList> {
    return { items: await this.apis.list() };
  }

  @Post('apis')
  @Endpoint({ summary: 'Bring an API in', body: ImportInput, answer: ImportView, status: 201, errors: [413] })
  bringIn(@Body() input: ImportInput, @Edited() edited: EditedBy): Promise<ImportView> {
    return this.apis.bringIn(input, edited);
  }

  @Get('apis/:id')
  @Endpoint({ summary: 'One API', answer: ApiView, errors: [404] })
  view(@Param('id') id: string): Promise<ApiView> {
    return this.apis.view(id);
  }

  @Patch('apis/:id')
  @Endpoint({ summary: 'Change an API in the draft', body: ApiPatch, answer: ApiView, errors: [404, 412] })
  change(@Param('id') id: string, @Body() patch: ApiPatch, @Edited() edited: EditedBy): Promise<ApiView> {
    return this.apis.change(id, patch, edited);
  }

  @Delete('apis/:id')
  @Endpoint({ summary: 'Take an API out of the draft', errors: [404, 412] })
  async remove(@Param('id') id: string, @Edited() edited: EditedBy): Promise<void> {
    await this.apis.remove(id, edited);
  }

  @Get('apis/:id/contract')
  @Endpoint({ summary: 'The description as it was brought in', answer: ContractText, errors: [404] })
  async contract(@Param('id') id: string): Promise<ContractText> {
    const hash = this.apis.find(id).contractHash;
    const row = hash === null ? null : await this.contracts.find(hash);
    if (!row) throw notFound('contract');
    return { text: row.text, format: row.format };
  }

  @Get('apis/:id/contract/live')
  @Endpoint({ summary: 'The description that the live release has', answer: ContractText, errors: [404] })
  async liveContract(@Param('id') id: string): Promise<ContractText> {
    const hash = this.apis.live(id)?.contractHash ?? null;
    const row = hash === null ? null : await this.contracts.find(hash);
    if (!row) throw notFound('live contract');
    return { text: row.text, format: row.format };
  }

  @Put('apis/:id/contract')
  @Endpoint({ summary: 'Bring in a newer description, or only see what it changes', body: ReimportInput, answer: ReimportView, errors: [404, 412, 413] })
  bringInAgain(@Param('id') id: string, @Body() input: ReimportInput, @Edited() edited: EditedBy): Promise<ReimportView> {
    return this.apis.bringInAgain(id, input, edited);
  }

  @Get('apis/:id/observed')
  @Endpoint({ summary: 'Whom enforcing what only observes would have refused in the last 24 hours', answer: ObservedList, errors: [404] })
  observed(@Param('id') id: string): Promise<ObservedList> {
    return this.apis.observed(id);
  }

  @Get('apis/:id/operations')
  @Endpoint({ summary: 'Operations, who may call them and where that is set', answer: OperationList, errors: [404] })
  async operations(@Param('id') id: string): Promise<OperationList> {
    return { items: await this.apis.operations(id) };
  }

  @Get('apis/:id/operations/:operationId')
  @Endpoint({ summary: 'One operation with its whole fall line', answer: OperationPage, errors: [404] })
  operation(@Param('id') id: string, @Param('operationId') operationId: string): Promise<OperationPage> {
    return this.pages.view(id, operationId);
  }

  @Patch('apis/:id/operations')
  @Endpoint({ summary: 'Say who may call many operations at once', body: OperationsPatch, answer: OperationList, errors: [404, 412] })
  async setAccess(@Param('id') id: string, @Body() patch: OperationsPatch, @Edited() edited: EditedBy): Promise<OperationList> {
    return { items: await this.apis.setAccess(id, patch, edited) };
  }
}
