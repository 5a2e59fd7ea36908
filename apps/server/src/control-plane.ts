import { ValidationPipe, type INestApplication } from '@nestjs/common';
import { NestFactory } from '@nestjs/core';
import type { NestExpressApplication } from '@nestjs/platform-express';
import type { NextFunction, Request, Response } from 'express';
import helmet from 'helmet';
import { AppModule } from './app.module.js';
import type { ServerSettings } from './config/settings.js';
import { serveConsole } from './control/console-files.js';
import { controlDocument } from './control/openapi.js';
import { LeaksService } from './control/clients/leaks.service.js';
import { readBodies } from './session/bodies.js';
import { validationProblem } from './http/problems.js';
import { ReservedNamesPipe } from './http/reserved-names.pipe.js';
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

/** The control plane: control API, console, records, supervision of the local node. */
export class ControlPlane {
  readonly #app: INestApplication;
  readonly #store: Store;
  readonly #timer: NodeJS.Timeout;
  readonly operator: { name: string; password: string } | null;

  private constructor(app: INestApplication, store: Store, operator: { name: string; password: string } | null) {
    this.#app = app;
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
    app.get(RecordService).start();
    const plane = new ControlPlane(app, store, operator);
    await app.get(LocalNode).start();
    return plane;
  }

  async stop(): Promise<void> {
    clearInterval(this.#timer);
    await this.#app.get(LocalNode).stop();
    this.#app.get(RecordService).stop();
    await this.#app.close();
    await this.#store.close();
  }
}

function prepare(app: NestExpressApplication, settings: ServerSettings): void {
  app.disable('x-powered-by');
  app.use(onlyKnownHosts(settings));
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
  const document = JSON.stringify(controlDocument(app));
  express.get('/control/openapi.json', (_request: Request, response: Response) => void response.type('application/json').send(document));
  serveConsole(express);
}

/** Refuses host names that are not this machine's, so that no web page can reach the control API under a name of its own. */
function onlyKnownHosts(settings: ServerSettings) {
  const known = new Set(['localhost', '127.0.0.1', '[::1]', settings.host].map((host) => `${host}:${settings.port}`));
  return (request: Request, response: Response, next: NextFunction): void => {
    if (known.has(request.headers.host ?? '')) return next();
    response
      .status(421)
      .type('application/problem+json')
      .send(JSON.stringify({ type: 'about:blank', title: 'This host name is not served here', status: 421 }));
  };
}
