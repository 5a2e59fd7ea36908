import { Body, Controller, Delete, Get, Param, Patch, Post } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { DiscoverInput, DiscoveryView, ProviderComparison, ProviderInput, ProviderList, ProviderPatch, ProviderView } from '@virga/protocol';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { Endpoint } from '../../http/endpoint.js';
import { ProvidersService } from './providers.service.js';

@ApiTags('providers')
@Controller('control/v1/providers')
export class ProvidersController {
  constructor(private readonly providers: ProvidersService) {}

  @Get()
  @Endpoint({ summary: 'Identity providers of the draft', answer: ProviderList })
  async list(): Promise<ProviderList> {
    return { items: await this.providers.list() };
  }

  @Post('discover')
  @Endpoint({ summary: 'Ask a provider about itself without trusting it', body: DiscoverInput, answer: DiscoveryView })
  discover(@Body() input: DiscoverInput): Promise<DiscoveryView> {
    return this.providers.discover(input);
  }

  @Post()
  @Endpoint({ summary: 'Trust a provider', body: ProviderInput, answer: ProviderView, status: 201 })
  trust(@Body() input: ProviderInput, @Edited() edit: EditedBy): Promise<ProviderView> {
    return this.providers.trust(input, edit);
  }

  @Get(':id')
  @Endpoint({ summary: 'One provider, its keys and its state', answer: ProviderView, errors: [404] })
  view(@Param('id') id: string): Promise<ProviderView> {
    return this.providers.view(id);
  }

  @Patch(':id')
  @Endpoint({ summary: 'Change how a provider is trusted', body: ProviderPatch, answer: ProviderView, errors: [404, 412] })
  change(@Param('id') id: string, @Body() patch: ProviderPatch, @Edited() edit: EditedBy): Promise<ProviderView> {
    return this.providers.change(id, patch, edit);
  }

  @Delete(':id')
  @Endpoint({ summary: 'Trust a provider no longer', errors: [404, 409, 412] })
  async remove(@Param('id') id: string, @Edited() edit: EditedBy): Promise<void> {
    await this.providers.remove(id, edit);
  }

  @Get(':id/comparison')
  @Endpoint({ summary: 'What the provider says of itself now, held against what is set', answer: ProviderComparison, errors: [404] })
  compare(@Param('id') id: string): Promise<ProviderComparison> {
    return this.providers.compare(id);
  }

  @Post(':id/refresh')
  @Endpoint({ summary: 'Let the nodes fetch the keys now', answer: ProviderView, errors: [404] })
  refresh(@Param('id') id: string): Promise<ProviderView> {
    return this.providers.refresh(id);
  }
}
