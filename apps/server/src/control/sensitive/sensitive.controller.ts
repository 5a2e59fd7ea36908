import { Body, Controller, Get, HttpCode, Patch, Post } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { DetectorsPatch, SensitiveView, TriedDetectors, TryDetectorsInput } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { SensitiveService } from './sensitive.service.js';

@ApiTags('sensitive data')
@Controller('control/v1/sensitive')
export class SensitiveController {
  constructor(private readonly sensitive: SensitiveService) {}

  @Get()
  @Endpoint({ summary: 'Sensitive data that was found, by operation and place, and what is looked for', answer: SensitiveView })
  view(): Promise<SensitiveView> {
    return this.sensitive.view();
  }

  @Patch('detectors')
  @Endpoint({ summary: 'Set detectors of one’s own, in the draft', body: DetectorsPatch, answer: SensitiveView, errors: [412] })
  change(@Body() patch: DetectorsPatch, @Edited() edited: EditedBy): Promise<SensitiveView> {
    return this.sensitive.change(patch, edited);
  }

  @Post('try')
  @HttpCode(200)
  @Endpoint({ summary: 'Try detectors on a text; nothing of it is kept', body: TryDetectorsInput, answer: TriedDetectors })
  try(@Body() input: TryDetectorsInput): TriedDetectors {
    return this.sensitive.try(input);
  }
}
