import { ValidationPipe, type INestApplication } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import type { NextFunction, Request, Response } from 'express';
import helmet from 'helmet';
import { AppModule } from './app.module.js';
import type { ServerSettings } from './config/settings.js';
import { LeaksService } from './control/clients/leaks.service.js';
import { readBodies } from './session/bodies.js';
import { onlyKnownHosts } from './http/known-hosts.js';
import { validationProblem } from './http/problems.js';
import { ReservedNamesPipe } from './http/reserved-names.pipe.js';
import { serveScreens } from './http/screen-files.js';
import { startPortal } from './portal/portal-plane.js';
import { DraftService } from './control/releases/draft.service.js';
import { ReleasesService } from './control/releases/releases.service.js';
import { RevocationsService } from './control/revocations/revocations.service.js';
import { LocalNode } from './nodes/local-node.js';
import { NodeHub } from './nodes/node-hub.js';
import { RecordService } from './record/record.service.js';
import { SecretsService } from './secret/secrets.service.js';
import { SessionService } from './session/session.service.js';
import { Store } from './store/store.js';

const HEARTBEAT_MS = 2000;

/** The control plane: control API, console, portal, records, supervision of the local node. */
export class ControlPlane {
  readonly #app: INestApplication;
  readonly #portal: INestApplication | null;
  readonly #store: Store;
  readonly #timer: NodeJS.Timeout;
  readonly operator: { name: string; password: string } | null;

  private constructor(app: INestApplication, portal: INestApplication | null, store: Store, operator: { name: string; password: string } | null) {
    this.#app = app;
    this.#portal = portal;
    this.#store = store;
    this.operator = operator;
    this.#timer = setInterval(() => app.get(NodeHub).heartbeat(), HEARTBEAT_MS);
  }

  /** @throws StoreError when the database cannot be used */
  static async start(settings: ServerSettings, password: string | undefined): Promise<ControlPlane> {
    const store = await Store.open(settings.dataFolder);
    const app = await NestFactory.create<NestExpressApplication>(AppModule.with(settings, store), { logger: ['error', 'warn'], bodyParser: false });
    prepare(app, settings);
    const operator = await app.get(SessionService).ensureOperator(password);
    await app.get(SecretsService).load();
    await app.get(DraftService).load();
    await app.get(ReleasesService).load();
    await app.get(RevocationsService).load();
    await app.listen(settings.port, settings.host);
    const portal = await startPortal(app, settings);
    app.get(RecordService).start();
    const plane = new ControlPlane(app, portal, store, operator);
    await app.get(LocalNode).start();
    return plane;
  }

  async stop(): Promise<void> {
    clearInterval(this.#timer);
    await this.#app.get(LocalNode).stop();
    this.#app.get(RecordService).stop();
    await this.#portal?.close();
    await this.#app.close();
    await this.#store.close();
  }
}

/** Made when first asked for: most that start a control plane never do, and it takes as long as everything else that starts. */
function answerDocument(app: NestExpressApplication): (request: Request, response: Response, next: NextFunction) => void {
  let made: Promise<string> | null = null;
  return (_request, response, next) => {
    made ??= import('./control/openapi.js').then(({ controlDocument }) => JSON.stringify(controlDocument(app)));
    made.then((text) => response.type('application/json').send(text), next);
  };
}

function prepare(app: NestExpressApplication, settings: ServerSettings): void {
  app.disable('x-powered-by');
  app.use(onlyKnownHosts(['localhost', '127.0.0.1', '[::1]', settings.host].map((host) => `${host}:${settings.port}`)));
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        // Styles are made at run time by the component library; scripts only come as files.
        directives: {
          defaultSrc: ["'self'"],
          // The thread that decides what nobody sent runs scripts of authorizers, in an interpreter in WebAssembly; nothing else may.
          scriptSrc: ["'self'", ({ url }) => (url?.startsWith('/assets/suppose-worker') ? "'wasm-unsafe-eval'" : "'self'")],
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          objectSrc: ["'none'"],
          baseUri: ["'none'"],
          frameAncestors: ["'none'"],
          formAction: ["'self'"],
        },
      },
      strictTransportSecurity: false,
      // The sign-in window of a persona tells the console that it is done.
      crossOriginOpenerPolicy: false,
    }),
  );
  app.use(readBodies(app.get(SessionService), (bearer) => app.get(LeaksService).isScanner(bearer)));
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
  const express = app.getHttpAdapter().getInstance();
  express.get('/control/openapi.json', answerDocument(app));
  serveScreens(express, 'console', ['/control', '/nodes']);
}
