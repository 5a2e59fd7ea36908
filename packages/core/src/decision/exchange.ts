import type { Principal } from '../token/principal.js';
import type { VerifiedToken } from '../token/verify-token.js';
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
}

/**
 * One request on its way down the fall line. Every field is set in the constructor, so that all exchanges have one
 * shape; steps fill in what they find.
 */
export class Exchange {
  readonly method: string;
  readonly target: string;
  readonly headers: HeaderFields;
  /** The normalised path, empty until it is read. */
  path = '';
  query = '';
  api: CompiledApi | null = null;
  operation: CompiledOperation | null = null;
  parameters: readonly string[] = NONE;
  credential: string | null = null;
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
