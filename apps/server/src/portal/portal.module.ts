import { Module, type DynamicModule, type Type } from '@nestjs/common';
import { APP_FILTER, APP_GUARD, APP_INTERCEPTOR } from '@nestjs/core';
import { ProblemFilter } from '../http/problems.js';
import { RevisionInterceptor } from '../http/revision.interceptor.js';
import { AttemptsController } from './consumer/attempts.controller.js';
import { CatalogueController } from './consumer/catalogue.controller.js';
import { OwnClientsController } from './consumer/clients.controller.js';
import { PortalSessionController } from './consumer/session.controller.js';
import { OwnTeamsController } from './consumer/teams.controller.js';
import { PortalGuard } from './portal.guard.js';

/** The portal's own API, apart from the control API: another listener, another guard, other sessions, other endpoints. */
@Module({})
export class PortalModule {
  /** @param services what it shares with the control plane, by class */
  static with(services: readonly { readonly provide: Type | symbol; readonly useValue: unknown }[]): DynamicModule {
    return {
      module: PortalModule,
      controllers: [PortalSessionController, CatalogueController, AttemptsController, OwnTeamsController, OwnClientsController],
      providers: [
        ...services,
        { provide: APP_GUARD, useClass: PortalGuard },
        { provide: APP_FILTER, useClass: ProblemFilter },
        { provide: APP_INTERCEPTOR, useClass: RevisionInterceptor },
      ],
    };
  }
}
