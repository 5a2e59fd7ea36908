import { Body, Controller, Delete, Get, Param, Post } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { RevocationInput, RevocationList, RevocationView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { RevocationsService } from './revocations.service.js';

@ApiTags('revocations')
@Controller('control/v1/revocations')
export class RevocationsController {
  constructor(private readonly revocations: RevocationsService) {}

  @Get()
  @Endpoint({ summary: 'Revocations in force, newest first', answer: RevocationList })
  list(): RevocationList {
    return { items: this.revocations.list() };
  }

  @Post()
  @Endpoint({ summary: 'Refuse tokens from now on; takes effect at once', body: RevocationInput, answer: RevocationView, status: 201 })
  add(@Body() input: RevocationInput): Promise<RevocationView> {
    return this.revocations.add(input);
  }

  @Delete(':id')
  @Endpoint({ summary: 'Take a revocation back; takes effect at once', errors: [404] })
  async remove(@Param('id') id: string): Promise<void> {
    await this.revocations.remove(id);
  }
}
