import compression from 'compression';
import { static as serveStatic, type Express, type NextFunction, type Request, type Response } from 'express';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const FOLDER = fileURLToPath(new URL('../../../console/dist', import.meta.url));

/** Serves the built console; every path that is no file and no API is one of its screens. */
export function serveConsole(app: Express): void {
  if (!existsSync(join(FOLDER, 'index.html'))) return;
  // Assets never change under their name, so that compressing them anew for each reader is all there is to it.
  app.use('/assets', compression());
  app.use('/assets', serveStatic(join(FOLDER, 'assets'), { immutable: true, maxAge: '1y', index: false, fallthrough: false }));
  app.use(serveStatic(FOLDER, { index: false, maxAge: 0 }));
  app.use((request: Request, response: Response, next: NextFunction) => {
    if (request.method !== 'GET' || request.path.startsWith('/control') || request.path.startsWith('/nodes')) return next();
    response.set('cache-control', 'no-store').sendFile(join(FOLDER, 'index.html'));
  });
}
