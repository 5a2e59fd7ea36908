import compression from 'compression';
import { static as serveStatic, type Express, type NextFunction, type Request, type Response } from 'express';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

/**
 * Serves built screens; every path that is no file and no API is one of them.
 * @param apis what the paths of the APIs beside them begin with
 */
export function serveScreens(app: Express, screens: 'console' | 'portal', apis: readonly string[]): void {
  const folder = fileURLToPath(new URL(`../../../${screens}/dist`, import.meta.url));
  if (!existsSync(join(folder, 'index.html'))) return;
  // Assets never change under their name, so that compressing them anew for each reader is all there is to it.
  app.use('/assets', compression());
  app.use('/assets', serveStatic(join(folder, 'assets'), { immutable: true, maxAge: '1y', index: false, fallthrough: false }));
  app.use(serveStatic(folder, { index: false, maxAge: 0 }));
  app.use((request: Request, response: Response, next: NextFunction) => {
    if (request.method !== 'GET' || apis.some((path) => request.path.startsWith(path))) return next();
    response.set('cache-control', 'no-store').sendFile(join(folder, 'index.html'));
  });
}
