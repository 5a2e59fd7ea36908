import type { Operands, StepId, StepOutcome } from '../verdict/code-entry.js';

/** One step of a trace: code and operands, no text. */
export interface StepTrace {
  readonly step: StepId;
  readonly outcome: StepOutcome;
  readonly code: string;
  readonly operands: Operands;
  /** Microseconds, fractions allowed. */
  readonly tookUs: number;
}

/** What is kept of one request. Holds no credential and no body. */
export interface TraceRecord {
  readonly id: string;
  /** W3C trace id, 32 hexadecimal digits. */
  readonly traceId: string;
  /** Milliseconds since the epoch. */
  readonly at: number;
  readonly node: string;
  /** Number of the release that decided; 0 for a draft. */
  readonly release: number;
  readonly method: string;
  readonly path: string;
  readonly query: string;
  readonly apiId: string | null;
  readonly operationId: string | null;
  readonly outcome: 'passed' | 'refused';
  readonly status: number;
  /** The step that decided, and its code. */
  readonly step: StepId;
  readonly code: string;
  readonly address: string;
  readonly providerId: string | null;
  readonly subject: string | null;
  readonly client: string | null;
  readonly steps: readonly StepTrace[];
  readonly requestHeaders: readonly (readonly [string, string])[];
  readonly responseHeaders: readonly (readonly [string, string])[];
  readonly requestBytes: number;
  readonly responseBytes: number;
  readonly totalUs: number;
}

/** An exact count of requests of one minute that ended alike. */
export interface TrafficCount {
  /** Start of the minute, milliseconds since the epoch. */
  readonly minute: number;
  readonly apiId: string | null;
  readonly operationId: string | null;
  readonly step: StepId;
  readonly code: string;
  readonly outcome: 'passed' | 'refused';
  readonly status: number;
  readonly count: number;
  /** Sum of the time these requests took, microseconds. */
  readonly totalUs: number;
}

/** What a node sends to the control plane at one time. */
export interface RecordBatch {
  readonly traces: readonly TraceRecord[];
  readonly counts: readonly TrafficCount[];
  /** Traces not sent since the last batch, because of sampling or a full buffer. */
  readonly unsent: { readonly passed: number; readonly refused: number };
}
