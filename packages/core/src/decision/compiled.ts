import type { ApiRule, OperationRule, ProviderRule, ReleaseDocument } from '../document/release-document.js';
import type { AccessRule } from '../document/access-rule.js';
import type { CompiledRights } from '../access/check-rights.js';
import type { Router } from '../route/router.js';
import type { TokenCache } from '../token/token-cache.js';
import type { KeySource } from '../token/verify-token.js';
import type { Finding } from '../verdict/codes.js';
import type { StepId } from '../verdict/code-entry.js';
import type { Exchange } from './exchange.js';

/** All that a decision needs from outside. Live traffic, rehearsal and trials pass different ports to the same code. */
export interface Ports {
  /** Milliseconds since the epoch. */
  now(): number;
  /** A clock for durations, milliseconds with fractions. */
  ticks(): number;
  /** A collision-resistant digest of a text (SHA-256 or better), as text. */
  digest(text: string): string;
  readonly keys: KeySource;
}

/** One check, ready to run. It waits only when it must; the common path returns no promise. */
export interface CompiledStep {
  readonly step: StepId;
  readonly run: (exchange: Exchange) => Finding | Promise<Finding>;
}

export interface CompiledOperation {
  readonly rule: OperationRule;
  readonly label: string;
  readonly access: AccessRule;
  readonly rights: CompiledRights | null;
  /** The checks behind routing, in order. */
  readonly fallLine: readonly CompiledStep[];
  readonly parameterNames: readonly string[];
}

export interface CompiledApi {
  readonly rule: ApiRule;
  readonly operations: readonly CompiledOperation[];
  /** Path and query of the API's resource metadata on this gateway (RFC 9728 section 3). */
  readonly metadataPath: string;
}

export interface CompiledRelease {
  readonly document: ReleaseDocument;
  readonly router: Router<CompiledOperation, CompiledApi>;
  readonly apis: readonly CompiledApi[];
  readonly metadata: ReadonlyMap<string, CompiledApi>;
  readonly providersById: ReadonlyMap<string, ProviderRule>;
  readonly tokenCache: TokenCache;
  readonly ports: Ports;
}
