import {
  compileCallerAddress,
  compileInSteps,
  compileRedactor,
  upgradeDocument,
  type ApiRule,
  type CompiledApi,
  type FindCallerAddress,
  type CompiledRelease,
  type Ports,
  type Redactor,
  type ReleaseDocument,
  type TokenPlace,
} from '@virga/core';
import { setImmediate, setTimeout } from 'node:timers/promises';
import { performance } from 'node:perf_hooks';
import { compileFindCertificate, compileVouchedHeader, type FindCertificate } from './listener/client-certificate.js';
import type { Upstream, UpstreamPools } from './upstream/pools.js';

/** How long compiling may keep the thread that serves at one time, milliseconds. */
const SLICE_MS = 2;

/** A release with its upstreams opened. Each request keeps the one that it began with. */
export class LiveRelease {
  readonly number: number;
  readonly hash: string;
  readonly compiled: CompiledRelease;
  readonly upstreams: ReadonlyMap<CompiledApi, Upstream>;
  readonly findCertificate: FindCertificate;
  /** Where a request came from, by the address of its connection and by hops that are believed. */
  readonly callerAddress: FindCallerAddress;
  /** The certificate header, for a request from a hop that may write it; null otherwise. */
  readonly vouchedHeader: (address: string) => string | null;
  readonly certificateHeader: string | null;
  readonly redactor: Redactor;
  readonly #close: () => void;
  #requests = 0;
  #retired = false;

  constructor(number: number, hash: string, compiled: CompiledRelease, pools: UpstreamPools, close: () => void) {
    this.number = number;
    this.hash = hash;
    this.compiled = compiled;
    this.upstreams = new Map(compiled.apis.map((api) => [api, pools.open(api.rule.upstream)]));
    const { certificateHeader, callerAddress, networks } = compiled.document;
    this.callerAddress = compileCallerAddress(callerAddress, networks);
    this.findCertificate = compileFindCertificate(certificateHeader);
    this.vouchedHeader = compileVouchedHeader(certificateHeader);
    this.certificateHeader = certificateHeader?.name ?? null;
    this.redactor = compileRedactor(compiled.apis.flatMap(({ rule }) => placesOf(rule)));
    this.#close = () => {
      for (const api of compiled.apis) pools.release(api.rule.upstream);
      close();
    };
  }

  /** A request is decided by this release until `end`, once for each `begin`. */
  begin(): void {
    this.#requests++;
  }

  end(): void {
    this.#requests--;
    if (this.#retired && this.#requests === 0) this.#close();
  }

  /** No request begins with it any more; what it holds is given back when the last has ended. */
  retire(): void {
    if (this.#retired) return;
    this.#retired = true;
    if (this.#requests === 0) this.#close();
  }
}

/** Where an API and its operations take credentials from. */
export const placesOf = (rule: ApiRule): readonly TokenPlace[] => [
  ...rule.token.places,
  ...rule.schemes.flatMap(({ place }) => place ?? []),
  ...rule.operations.flatMap((operation) => operation.token?.places ?? []),
];

/**
 * Compiles a release in small steps, so that requests are served meanwhile.
 * @throws ConfigError when the document cannot be used
 */
export async function compileBetweenRequests(document: ReleaseDocument, ports: Ports): Promise<CompiledRelease> {
  // Reading the message that brought it, compiling it and putting it in force are apart, each in a turn of its own: an
  // immediate would still run in the turn that read the message.
  await setTimeout(1);
  const compiling = compileInSteps(upgradeDocument(document), ports);
  let from = performance.now();
  for (;;) {
    const step = compiling.next();
    if (step.done) {
      await setImmediate();
      return step.value;
    }
    if (performance.now() - from < SLICE_MS) continue;
    await setImmediate();
    from = performance.now();
  }
}
