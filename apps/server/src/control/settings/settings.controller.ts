import { Body, Controller, Get, Patch } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { CertificateHeaderDto, RetentionDto } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { fieldProblem } from '../../http/problems.js';
import { RecordService } from '../../record/record.service.js';
import { CalledBy, type Caller } from '../../session/access.guard.js';
import { DraftService } from '../releases/draft.service.js';

/** Settings of the installation, and those of the draft that belong to no API. */
@ApiTags('settings')
@Controller('control/v1/settings')
export class SettingsController {
  constructor(
    private readonly records: RecordService,
    private readonly draft: DraftService,
  ) {}

  @Get('retention')
  @Endpoint({ summary: 'How long traces are kept', answer: RetentionDto })
  async retention(): Promise<RetentionDto> {
    return { ...(await this.records.retention()) };
  }

  @Patch('retention')
  @Endpoint({ summary: 'Change how long traces are kept', body: RetentionDto, answer: RetentionDto })
  async setRetention(@Body() change: RetentionDto): Promise<RetentionDto> {
    const given = Object.fromEntries(Object.entries(change).filter(([, value]) => value !== undefined));
    return { ...(await this.records.setRetention(given)) };
  }

  @Get('certificate-header')
  @Endpoint({ summary: 'Which hops may pass client certificates on, in the draft', answer: CertificateHeaderDto })
  certificateHeader(): CertificateHeaderDto {
    const rule = this.draft.document.certificateHeader;
    return { enabled: rule !== null, name: rule?.name ?? 'client-cert', trustedHops: [...(rule?.trustedHops ?? [])] };
  }

  @Patch('certificate-header')
  @Endpoint({ summary: 'Set which hops may pass client certificates on, in the draft', body: CertificateHeaderDto, answer: CertificateHeaderDto })
  async setCertificateHeader(@Body() { enabled, name, trustedHops }: CertificateHeaderDto, @CalledBy() caller: Caller): Promise<CertificateHeaderDto> {
    if (enabled && (name === '' || trustedHops.length === 0)) {
      throw fieldProblem(name === '' ? '/name' : '/trustedHops', 'Name the header, and at least one hop that may write it');
    }
    await this.draft.change({ by: caller.name }, (document) => ({ ...document, certificateHeader: enabled ? { name, trustedHops } : null }));
    return this.certificateHeader();
  }
}
