import type { NextFunction, Request, RequestHandler, Response } from 'express';

/** Refuses host names that are not this machine's, so that no web page can reach an API under a name of its own. */
export function onlyKnownHosts(hosts: readonly string[]): RequestHandler {
  const known = new Set(hosts);
  return (request: Request, response: Response, next: NextFunction): void => {
    if (known.has(request.headers.host ?? '')) return next();
    response
      .status(421)
      .type('application/problem+json')
      .send(JSON.stringify({ type: 'about:blank', title: 'This host name is not served here', status: 421 }));
  };
}
