import { ValidationPipe, type INestApplicationContext } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import compression from 'compression';
import type { NextFunction, Request, Response } from 'express';
import helmet from 'helmet';
import { SETTINGS, type ServerSettings } from '../config/settings.js';
import { onlyKnownHosts } from '../http/known-hosts.js';
import { validationProblem } from '../http/problems.js';
import { ReservedNamesPipe } from '../http/reserved-names.pipe.js';
import { serveScreens } from '../http/screen-files.js';
import { cookieOf } from '../session/access.guard.js';
import { jsonBody } from '../http/json-body.js';
import { AccountsService } from './accounts.service.js';
import { AttemptsService } from './attempts.service.js';
import { CatalogueService } from './catalogue.service.js';
import { Looks } from './looks.js';
import { OwnClientsService } from './own-clients.service.js';
import { OwnTokensService } from './own-tokens.service.js';
import { PagesService } from './pages.service.js';
import { PortalSettingsService } from './portal-settings.service.js';
import { PORTAL_COOKIE } from './portal.guard.js';
import { PortalModule } from './portal.module.js';
import { ProviderSignInService } from './provider-sign-in.service.js';
import { RegistrationsService } from './registrations.service.js';
import { TeamsService } from './teams.service.js';

/** Most of a body, bytes: without a session, and of a call that is tried. */
const BODY_BYTES = { open: 16 * 1024, usual: 512 * 1024 } as const;

const SHARED = [
  AccountsService,
  AttemptsService,
  CatalogueService,
  Looks,
  OwnClientsService,
  OwnTokensService,
  PagesService,
  PortalSettingsService,
  ProviderSignInService,
  RegistrationsService,
  TeamsService,
] as const;

/** Serves the portal on a port of its own. @returns null where none is asked for */
export async function startPortal(plane: INestApplicationContext, settings: ServerSettings): Promise<NestExpressApplication | null> {
  if (settings.portalPort === null) return null;
  const services = [...SHARED.map((provide) => ({ provide, useValue: plane.get<unknown>(provide) })), { provide: SETTINGS, useValue: settings }];
  const app = await NestFactory.create<NestExpressApplication>(PortalModule.with(services), { logger: ['error', 'warn'], bodyParser: false });
  app.disable('x-powered-by');
  // Whose `X-Forwarded-For` is believed, read from the right; nobody's where no hop is named.
  app.set('trust proxy', [...settings.portalHops]);
  app.use(
    onlyKnownHosts(
      [settings.host, 'localhost', '127.0.0.1', '[::1]'].map((host) => `${host}:${settings.portalPort ?? 0}`).concat(new URL(settings.portalUrl).host),
    ),
  );
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          scriptSrc: ["'self'"],
          connectSrc: ["'self'"],
          fontSrc: ["'self'"],
          // Styles are made at run time by the component library.
          styleSrc: ["'self'", "'unsafe-inline'"],
          // The operator's mark is kept as a data address; pages show no pictures from elsewhere, which would tell who reads them.
          imgSrc: ["'self'", 'data:'],
          baseUri: ["'none'"],
          frameAncestors: ["'none'"],
          formAction: ["'self'"],
        },
      },
      strictTransportSecurity: false,
      // The sign-in window of a token says when it is done by being closed.
      crossOriginOpenerPolicy: { policy: 'same-origin-allow-popups' },
    }),
  );
  // What offers much is much text. Answers that have a secret in them are not compressed beside what a caller wrote.
  app.use('/portal/v1/apis', compression());
  const [open, usual] = [jsonBody(BODY_BYTES.open), jsonBody(BODY_BYTES.usual)];
  app.use((request: Request, response: Response, next: NextFunction) => (cookieOf(request, PORTAL_COOKIE) === null ? open : usual)(request, response, next));
  app.use(onlyJson);
  app.useGlobalPipes(
    new ReservedNamesPipe(),
    new ValidationPipe({
      whitelist: true,
      forbidNonWhitelisted: true,
      transform: true,
      forbidUnknownValues: false,
      exceptionFactory: validationProblem,
      validateCustomDecorators: false,
    }),
  );
  serveScreens(app.getHttpAdapter().getInstance(), 'portal', ['/portal/', '/control/']);
  await app.listen(settings.portalPort, settings.host);
  return app;
}

/** A form of another page can send text, and no JSON: what changes something is JSON or has no body. */
function onlyJson(request: Request, response: Response, next: NextFunction): void {
  const { headers } = request;
  const empty = headers['transfer-encoding'] === undefined && Number(headers['content-length'] ?? 0) === 0;
  if (['GET', 'HEAD'].includes(request.method) || empty || request.is('application/json')) return next();
  response
    .status(415)
    .type('application/problem+json')
    .send(JSON.stringify({ type: 'about:blank', title: 'Send JSON', status: 415 }));
}
