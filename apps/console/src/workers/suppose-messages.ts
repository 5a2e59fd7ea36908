import type {
  CallAnswer,
  CallQuestion,
  CallerKind,
  ExplainedCell,
  KnownFacts,
  PublishedKey,
  ReachComparison,
  ReachSettings,
  ReleaseDocument,
  SupposedCaller,
} from '@virga/core';

/** A cell of a table: an operation of a release, and a caller. */
export interface CellPlace {
  readonly side: 'before' | 'after';
  readonly apiId: string;
  readonly operationId: string;
  readonly callerId: string;
}

export interface TableQuestion {
  readonly ask: 'table';
  /** Whoever asks: cells are asked of the table that was asked for last under the same name. */
  readonly by: string;
  /** The release that is looked at, and the one it is held against; null for none. */
  readonly after: ReleaseDocument;
  readonly before: ReleaseDocument | null;
  readonly facts: KnownFacts;
  /** Callers beside those that the releases and the clients give. */
  readonly named: readonly SupposedCaller[];
  readonly settings: ReachSettings;
  /** What names of clients have in them, where there are too many for one table. */
  readonly clientText: string;
  /** Keys of providers, where texts of tokens are to be decided. */
  readonly keys: Readonly<Record<string, readonly PublishedKey[]>>;
}

export interface CellQuestion {
  readonly ask: 'cell';
  readonly by: string;
  readonly place: CellPlace;
}

export interface CallAsked {
  readonly ask: 'call';
  readonly document: ReleaseDocument;
  readonly facts: KnownFacts;
  readonly keys: TableQuestion['keys'];
  readonly call: CallQuestion;
}

export type Question = TableQuestion | CellQuestion | CallAsked;

export interface NamedCaller {
  readonly id: string;
  readonly kind: CallerKind;
  readonly name: string;
  readonly note: string;
}

/** Who can reach what; `before` is null throughout where nothing is held against. */
export interface TableAnswer extends ReachComparison {
  readonly callers: readonly NamedCaller[];
  readonly clientsLeftOut: number;
  readonly tookMs: number;
}

export interface Answers {
  readonly table: TableAnswer;
  readonly cell: ExplainedCell;
  /** Null where no operation is called. */
  readonly call: CallAnswer | null;
}
