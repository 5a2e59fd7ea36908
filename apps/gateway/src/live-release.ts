import { compileRelease, type CompiledApi, type CompiledRelease, type Ports, type ReleaseDocument } from '@virga/core';
import { compileFindCertificate, compileForgedHeader, type FindCertificate } from './listener/client-certificate.js';
import type { Upstream, UpstreamPools } from './upstream/pools.js';

/** A release with its upstreams opened. Each request keeps the one that it began with. */
export interface LiveRelease {
  readonly number: number;
  readonly hash: string;
  readonly compiled: CompiledRelease;
  readonly upstreams: ReadonlyMap<CompiledApi, Upstream>;
  readonly findCertificate: FindCertificate;
  /** The certificate header, for a request from a hop that may not write it; null when there is none or it may. */
  readonly forgedHeader: (address: string) => string | null;
}

/** @throws ConfigError when the document cannot be used */
export function openRelease(number: number, hash: string, document: ReleaseDocument, ports: Ports, pools: UpstreamPools): LiveRelease {
  const compiled = compileRelease(document, ports);
  const upstreams = new Map(compiled.apis.map((api) => [api, pools.open(api.rule.upstream)]));
  return {
    number,
    hash,
    compiled,
    upstreams,
    findCertificate: compileFindCertificate(document.certificateHeader),
    forgedHeader: compileForgedHeader(document.certificateHeader),
  };
}
