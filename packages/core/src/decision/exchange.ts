import type { Principal } from '../token/principal.js';
import type { TokenPlace } from '../document/token-rule.js';
import type { VerifiedToken } from '../token/verified-token.js';
import type { Finding } from '../verdict/codes.js';
import type { StepId } from '../verdict/code-entry.js';
import type { CompiledApi, CompiledOperation } from './compiled.js';

/** Header fields of a request, names in lower case. Repeated fields are joined, so that none can hide. */
export type HeaderFields = Readonly<Record<string, string | readonly string[] | undefined>>;

/** What a caller sent, as far as a decision looks at it. */
export interface Asked {
  readonly method: string;
  /** The request target as it stood in the request line. */
  readonly target: string;
  readonly headers: HeaderFields;
  /** Scheme and authority that the caller used, as the gateway knows itself, without a slash at the end. */
  readonly origin?: string;
  /** SHA-256 of the client certificate, base64url, where one was presented and its key was proved (RFC 8705 section 3.1). */
  readonly certificate?: string | null;
}

/** How a token was sent. A DPoP-bound one must not come as Bearer (RFC 9449 section 7.2). */
export type CredentialScheme = 'Bearer' | 'DPoP';

/**
 * One request on its way down the fall line. Every field is set in the constructor, so that all exchanges have one
 * shape; steps fill in what they find.
 */
export class Exchange {
  readonly method: string;
  readonly target: string;
  readonly headers: HeaderFields;
  readonly origin: string;
  readonly certificate: string | null;
  /** The normalised path, empty until it is read. */
  path = '';
  query = '';
  /** The path below the base of the API that was chosen, beginning with a slash; what the upstream's prefix is put in front of. */
  below = '';
  api: CompiledApi | null = null;
  operation: CompiledOperation | null = null;
  parameters: readonly string[] = NONE;
  credential: string | null = null;
  /** The credential's SHA-256, base64url; made once for each request. */
  credentialDigest = '';
  scheme: CredentialScheme = 'Bearer';
  /** Where the credential stood. */
  place: TokenPlace | null = null;
  token: VerifiedToken | null = null;
  tokenIsKnown = false;
  principal: Principal | null = null;
  /** Steps taken, in order, with the time each took. */
  readonly steps: StepRecord[] = [];
  allowedMethods: readonly string[] = NONE;

  constructor(asked: Asked) {
    this.method = asked.method;
    this.target = asked.target;
    this.headers = asked.headers;
    this.origin = asked.origin ?? '';
    this.certificate = asked.certificate ?? null;
  }

  header(name: string): string | undefined {
    const value = this.headers[name];
    return typeof value === 'string' || value === undefined ? value : value.join(', ');
  }
}

const NONE: readonly string[] = Object.freeze([]);

/** One step taken. `tookMs` counts milliseconds with fractions. */
export interface StepRecord {
  readonly step: StepId;
  readonly finding: Finding;
  readonly tookMs: number;
}
