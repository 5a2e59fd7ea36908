import type { DetectorRule, LearningRule, SensitiveUse, TokenPlace } from '@virga/core';

/** What is looked for in the traffic of a release. */
export interface WatchedRelease {
  readonly apis: readonly { readonly id: string; readonly learning: LearningRule; readonly uses: readonly SensitiveUse[] }[];
  readonly detectors: readonly DetectorRule[];
  /** Where credentials stand: nothing of that is learned or told. */
  readonly places: readonly TokenPlace[];
}

/** A body as it came, perhaps only its beginning. */
export interface SeenBytes {
  /** The Content-Type; empty where there is none. */
  readonly type: string;
  /** The Content-Encoding; empty where there is none. */
  readonly coding: string;
  readonly bytes: Uint8Array<ArrayBuffer>;
  readonly cut: boolean;
}

/** What of an answer went out to the caller: all as it came, all with something masked, or it did not. */
export type Delivered = 'whole' | 'masked' | 'no';

/** One request that an upstream answered, as it crosses to the thread that looks into it. */
export interface SeenRequest {
  readonly at: number;
  readonly apiId: string;
  /** Empty where no operation matched. */
  readonly operationId: string;
  readonly method: string;
  readonly path: string;
  readonly query: string;
  /** Names and values in turn. */
  readonly headers: readonly string[];
  readonly request: SeenBytes | null;
  readonly status: number;
  readonly answerHeaders: readonly string[];
  readonly answer: SeenBytes | null;
  readonly caller: string;
  readonly credentials: readonly string[];
  readonly delivered: Delivered;
}

export type ToSightingThread =
  | { readonly type: 'follow'; readonly release: WatchedRelease }
  | { readonly type: 'seen'; readonly requests: readonly SeenRequest[]; readonly bytes: number }
  /** Says what is known since it was asked last. */
  | { readonly type: 'report' };

export type FromSightingThread =
  | { readonly type: 'took'; readonly requests: number; readonly bytes: number; readonly faults: readonly string[] }
  /** Null where nothing new is known. */
  | { readonly type: 'report'; readonly apis: readonly SeenApiReport[] | null };

/** What was learned and found in the traffic of one API; texts are those of `pack`. */
export interface SeenApiReport {
  readonly apiId: string;
  readonly learned: string;
}
