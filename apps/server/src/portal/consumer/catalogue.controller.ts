import { Controller, Get, Param, Query } from '@nestjs/common';
import {
  OperationQuery,
  type OfferedApis,
  type OfferedApiView,
  type OfferedOperation,
  type OfferedReleases,
  type PageText,
  type PortalSession,
} from '@virga/protocol';
import { CatalogueService } from '../catalogue.service.js';
import { PagesService } from '../pages.service.js';
import { OpenToAll, SignedIn } from '../portal.guard.js';

/** What there is to be found: APIs, their reference pages, what changed in them; pages of the operator. */
@Controller('portal/v1')
@OpenToAll()
export class CatalogueController {
  constructor(
    private readonly catalogue: CatalogueService,
    private readonly pages: PagesService,
  ) {}

  @Get('apis')
  async list(@SignedIn() session: PortalSession | null): Promise<OfferedApis> {
    return { items: await this.catalogue.list(session) };
  }

  @Get('apis/:id')
  view(@Param('id') id: string, @SignedIn() session: PortalSession | null): Promise<OfferedApiView> {
    return this.catalogue.view(session, id);
  }

  @Get('apis/:id/operation')
  operation(@Param('id') id: string, @Query() { of }: OperationQuery, @SignedIn() session: PortalSession | null): Promise<OfferedOperation> {
    return this.catalogue.operation(session, id, of);
  }

  @Get('apis/:id/changes')
  changes(@Param('id') id: string, @SignedIn() session: PortalSession | null): Promise<OfferedReleases> {
    return this.catalogue.releasesOf(session, id);
  }

  @Get('pages/:slug')
  page(@Param('slug') slug: string, @SignedIn() session: PortalSession | null): Promise<PageText> {
    return this.pages.read(slug, session);
  }
}
