import type {
  Acceptance,
  ApiRule,
  ContractPart,
  Deviation,
  Drift,
  LimitingRules,
  OfferedDifference,
  ReferenceIndex,
  ReferenceOperation,
  SecurityGap,
} from '@virga/core';

/** What is asked about the text of a description. */
export type ContractQuestion =
  | { readonly kind: 'place'; readonly text: string; readonly pointer: string }
  | { readonly kind: 'accept'; readonly text: string; readonly format: 'json' | 'yaml'; readonly part: ContractPart; readonly deviation: Deviation }
  /** How an operation that was learned joins it. `entry` is a `LearnedEntry` and texts of `seen` are a `SeenOperation`, as `pack` writes them. */
  | {
      readonly kind: 'merge';
      readonly text: string;
      readonly format: 'json' | 'yaml';
      readonly entry: string;
      readonly leaveOut: readonly string[];
      readonly security: readonly Readonly<Record<string, readonly string[]>>[] | undefined;
      readonly operation: string | null;
    }
  | {
      readonly kind: 'drift';
      readonly text: string;
      readonly api: ApiRule;
      readonly seen: readonly (readonly [id: string, method: string, path: string, operation: string])[];
    }
  /** What it offers; one operation alone where that is named. */
  | { readonly kind: 'reference'; readonly text: string; readonly operation: { readonly method: string; readonly path: string } | null }
  /** How it says what was seen of an operation. */
  | {
      readonly kind: 'accept-drift';
      readonly text: string;
      readonly format: 'json' | 'yaml';
      readonly operation: { readonly method: string; readonly path: string };
      readonly drift: Pick<Drift, 'kind' | 'where' | 'at' | 'found'>;
    }
  /** What it offers otherwise than an earlier one. */
  | { readonly kind: 'changes'; readonly text: string; readonly before: string }
  /** How it says the same as OpenAPI 3.1. */
  | { readonly kind: 'openapi-3.1'; readonly text: string; readonly format: 'json' | 'yaml' }
  | { readonly kind: 'enforced'; readonly text: string; readonly format: 'json' | 'yaml'; readonly api: ApiRule; readonly limiting: LimitingRules };

/** A description in a newer form; null with the reason where it could not be made. */
export interface UpgradeAnswer {
  readonly text: string | null;
  readonly says: string;
}

/** Where something stands. */
export interface PlaceAnswer {
  readonly line: number | null;
  readonly value: string | null;
}

/** How a deviation would be accepted; null where that cannot be told. */
export type AcceptAnswer = (Pick<Acceptance, 'says'> & { readonly after: string }) | null;

/** A contract with an operation more, and that operation alone; or why that cannot be. */
export type MergeAnswer = { readonly after: string; readonly operation: string; readonly pointer: string } | { readonly fault: string };

/** Where traffic and contract disagree, and where its security says other than what is enforced. */
export interface DriftAnswer {
  readonly drift: readonly (Drift & { readonly operationId: string; readonly method: string; readonly path: string })[];
  readonly security: readonly SecurityGap[];
}

export type ChangesAnswer = readonly OfferedDifference[];

export interface WholeAnswer {
  readonly text: string;
}

/** The whole of a reference, or one operation of it; null where there is none. */
export interface ReferenceAnswers {
  readonly index: ReferenceIndex;
  readonly operation: ReferenceOperation | null;
}
