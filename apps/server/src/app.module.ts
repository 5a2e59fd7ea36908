import { Module, type DynamicModule } from '@nestjs/common';
import { APP_FILTER, APP_GUARD, APP_INTERCEPTOR } from '@nestjs/core';
import { SETTINGS, type ServerSettings } from './config/settings.js';
import { AddressesController } from './control/addresses/addresses.controller.js';
import { AddressesService } from './control/addresses/addresses.service.js';
import { AuthorizersController } from './control/authorizers/authorizers.controller.js';
import { AuthorizersService } from './control/authorizers/authorizers.service.js';
import { CaseInputs } from './control/authorizers/case-inputs.js';
import { CaseRunner } from './control/cases/case-runner.js';
import { TablesController } from './control/tables/tables.controller.js';
import { TablesService } from './control/tables/tables.service.js';
import { ConditionsController } from './control/conditions/conditions.controller.js';
import { ConditionsService } from './control/conditions/conditions.service.js';
import { ApisController } from './control/apis/apis.controller.js';
import { ApisService } from './control/apis/apis.service.js';
import { OperationPageService } from './control/apis/operation-page.service.js';
import { BenchController } from './control/bench/bench.controller.js';
import { BenchIssuer } from './control/bench/bench-issuer.js';
import { BenchService } from './control/bench/bench.service.js';
import { GrantService } from './control/bench/grant.service.js';
import { ClientsController } from './control/clients/clients.controller.js';
import { ClientListService } from './control/clients/client-list.service.js';
import { ClientUseService } from './control/clients/client-use.service.js';
import { ClientsService } from './control/clients/clients.service.js';
import { LeaksController, ScannerController } from './control/clients/leaks.controller.js';
import { LimitsController } from './control/limits/limits.controller.js';
import { LimitsService } from './control/limits/limits.service.js';
import { PlansController, SubscriptionsController } from './control/plans/plans.controller.js';
import { PlansService } from './control/plans/plans.service.js';
import { SubscriptionsService } from './control/plans/subscriptions.service.js';
import { LeaksService } from './control/clients/leaks.service.js';
import { ConformanceController } from './control/conformance/conformance.controller.js';
import { ConformanceService } from './control/conformance/conformance.service.js';
import { InventoryController } from './control/inventory/inventory.controller.js';
import { InventoryService } from './control/inventory/inventory.service.js';
import { LearnedTrafficService } from './record/learned-traffic.service.js';
import { ReferenceController } from './control/reference/reference.controller.js';
import { ReferenceService } from './control/reference/reference.service.js';
import { SensitiveController } from './control/sensitive/sensitive.controller.js';
import { SensitiveService } from './control/sensitive/sensitive.service.js';
import { ContractService } from './control/contract/contract.service.js';
import { AttentionService } from './control/overlook/attention.service.js';
import { FallService } from './control/overlook/fall.service.js';
import { OverlookController } from './control/overlook/overlook.controller.js';
import { PersonasController } from './control/personas/personas.controller.js';
import { PersonasService } from './control/personas/personas.service.js';
import { ProbeController } from './control/probe/probe.controller.js';
import { ProbeService } from './control/probe/probe.service.js';
import { Background } from './http/background.js';
import { ProblemFilter } from './http/problems.js';
import { RevisionInterceptor } from './http/revision.interceptor.js';
import { ProvidersController } from './control/providers/providers.controller.js';
import { ProvidersService } from './control/providers/providers.service.js';
import { DraftService } from './control/releases/draft.service.js';
import { ReachController } from './control/reach/reach.controller.js';
import { ReachService } from './control/reach/reach.service.js';
import { TrialRunner } from './control/trial-run/trial-runner.js';
import { TrialsController } from './control/trials/trials.controller.js';
import { TrialsService } from './control/trials/trials.service.js';
import { ReleasesController } from './control/releases/releases.controller.js';
import { ReleasesService } from './control/releases/releases.service.js';
import { TracesController } from './control/traces/traces.controller.js';
import { TracesService } from './control/traces/traces.service.js';
import { RevocationsController } from './control/revocations/revocations.controller.js';
import { RevocationsService } from './control/revocations/revocations.service.js';
import { SettingsController } from './control/settings/settings.controller.js';
import { DirectoryFeed } from './nodes/directory-feed.js';
import { LocalNode } from './nodes/local-node.js';
import { NodeHub } from './nodes/node-hub.js';
import { NodesController } from './nodes/nodes.controller.js';
import { AccountsService } from './portal/accounts.service.js';
import { AttemptsService } from './portal/attempts.service.js';
import { CatalogueService } from './portal/catalogue.service.js';
import { Looks } from './portal/looks.js';
import { OfferedChangesService } from './portal/offered-changes.service.js';
import { PortalController } from './portal/operator/portal.controller.js';
import { OwnClientsService } from './portal/own-clients.service.js';
import { OwnTokensService } from './portal/own-tokens.service.js';
import { PagesService } from './portal/pages.service.js';
import { PortalSettingsService } from './portal/portal-settings.service.js';
import { ProviderSignInService } from './portal/provider-sign-in.service.js';
import { RegistrationsService } from './portal/registrations.service.js';
import { TeamsService } from './portal/teams.service.js';
import { RecordService } from './record/record.service.js';
import { SecretsService } from './secret/secrets.service.js';
import { Vault } from './secret/vault.js';
import { AccessGuard } from './session/access.guard.js';
import { SessionController } from './session/session.controller.js';
import { SessionService } from './session/session.service.js';
import { Store } from './store/store.js';

@Module({})
export class AppModule {
  static with(settings: ServerSettings, store: Store): DynamicModule {
    return {
      module: AppModule,
      controllers: [
        SessionController,
        NodesController,
        ApisController,
        ProvidersController,
        ReleasesController,
        TracesController,
        OverlookController,
        PersonasController,
        ProbeController,
        RevocationsController,
        ClientsController,
        LeaksController,
        ScannerController,
        PlansController,
        SubscriptionsController,
        LimitsController,
        BenchController,
        SettingsController,
        AddressesController,
        ConditionsController,
        TablesController,
        AuthorizersController,
        ReachController,
        TrialsController,
        ConformanceController,
        InventoryController,
        SensitiveController,
        ReferenceController,
        PortalController,
      ],
      providers: [
        { provide: SETTINGS, useValue: settings },
        { provide: Store, useValue: store },
        { provide: Vault, useValue: new Vault(settings.secretKey) },
        { provide: APP_GUARD, useClass: AccessGuard },
        { provide: APP_FILTER, useClass: ProblemFilter },
        { provide: APP_INTERCEPTOR, useClass: RevisionInterceptor },
        Background,
        SessionService,
        NodeHub,
        LocalNode,
        RecordService,
        DraftService,
        AddressesService,
        ConditionsService,
        TablesService,
        AuthorizersService,
        CaseInputs,
        CaseRunner,
        ReleasesService,
        ContractService,
        ConformanceService,
        LearnedTrafficService,
        InventoryService,
        SensitiveService,
        ReferenceService,
        ApisService,
        OperationPageService,
        ProvidersService,
        TracesService,
        FallService,
        AttentionService,
        PersonasService,
        ProbeService,
        SecretsService,
        RevocationsService,
        DirectoryFeed,
        ClientsService,
        ClientListService,
        ClientUseService,
        LeaksService,
        LimitsService,
        PlansService,
        SubscriptionsService,
        BenchIssuer,
        BenchService,
        GrantService,
        ReachService,
        TrialRunner,
        TrialsService,
        PortalSettingsService,
        AccountsService,
        TeamsService,
        ProviderSignInService,
        Looks,
        PagesService,
        OfferedChangesService,
        CatalogueService,
        OwnClientsService,
        AttemptsService,
        OwnTokensService,
        RegistrationsService,
      ],
    };
  }
}
