import type { CompiledRights } from '../access/check-rights.js';
import type { ProofKind } from '../credential/sent-credential.js';
import type { AccessRule } from '../document/access-rule.js';
import type { CheckMode } from '../document/modes.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import type { TokenPlace, TokenRule } from '../document/token-rule.js';
import type { Router } from '../route/router.js';
import type { TokenCache } from '../token/token-cache.js';
import type { TokenVerifier, TrustedProvider } from '../token/verify-token.js';
import type { StepId } from '../verdict/code-entry.js';
import type { Finding } from '../verdict/codes.js';
import type { ClaimCheck } from './claims-step.js';
import type { Exchange } from './exchange.js';
import type { MessageRule } from '../document/message-rule.js';
import type { CompiledLane } from '../shape/header-lane.js';
import type { LaterPhase, Needs } from './phases.js';
import type { Ports } from './ports.js';

/** One check, ready to run. It waits only when it must; the common path returns no promise. */
export interface Check {
  readonly step: StepId;
  /** What the step vouches for: where it only observes and finds something wrong, that stays unproved. Null for none. */
  readonly about: ProofKind | null;
  readonly run: (exchange: Exchange) => Finding | Promise<Finding>;
}

/** A check in its mode, which makes of what it finds what becomes of the request. */
export interface CompiledStep extends Check {
  readonly mode: CheckMode;
}

export interface CompiledOperation {
  readonly rule: OperationRule;
  /** The API that it belongs to; no other one's upstream is ever called for it. */
  readonly api: ApiRule;
  /** Where it stands in the release document. */
  readonly pointer: string;
  readonly label: string;
  readonly access: AccessRule;
  readonly rights: CompiledRights | null;
  /** What it asks of tokens: the API's rule with its own changes. */
  readonly token: TokenRule;
  /** The demands on claims, one by one, for the fall line and for explanation. */
  readonly claimChecks: readonly ClaimCheck[];
  /** The checks behind routing, in order. */
  readonly fallLine: readonly CompiledStep[];
  /** The steps of the later phases; null where a phase has none. */
  readonly later: Readonly<Record<LaterPhase, readonly CompiledStep[] | null>>;
  readonly needs: Needs;
  /** Changes of header fields on the way up and back; null where nothing is changed. */
  readonly lanes: { readonly up: CompiledLane | null; readonly back: CompiledLane | null };
  /** What it asks of bodies: the API's rule with its own changes. */
  readonly message: MessageRule;
  /** Places whose credentials stay at the gateway; empty where the upstream is to see them. */
  readonly withheld: readonly TokenPlace[];
  readonly parameterNames: readonly string[];
}

export interface CompiledApi {
  readonly rule: ApiRule;
  /** Where it stands in the release document. */
  readonly pointer: string;
  readonly operations: readonly CompiledOperation[];
  /** Path and query of the API's resource metadata on this gateway (RFC 9728 section 3). */
  readonly metadataPath: string;
  /** Characters of the base path in its normal form, which a request's path begins with. */
  readonly baseLength: number;
}

export interface CompiledRelease {
  readonly document: ReleaseDocument;
  readonly router: Router<CompiledOperation, CompiledApi>;
  readonly apis: readonly CompiledApi[];
  readonly metadata: ReadonlyMap<string, CompiledApi>;
  readonly providersById: ReadonlyMap<string, TrustedProvider>;
  readonly verifier: TokenVerifier;
  readonly tokenCache: TokenCache;
  readonly ports: Ports;
}
