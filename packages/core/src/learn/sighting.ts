/** What was read of a body: its media type in small letters, and its value where it is JSON; undefined for every other and for what was not read. */
export interface SeenText {
  readonly type: string | null;
  readonly value: unknown;
}

/** One request and its answer as somebody who learns from them saw them. Credentials are taken out. */
export interface Sighting {
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly method: string;
  /** The normalised path below the base of the API, beginning with a slash. */
  readonly path: string;
  readonly query: readonly (readonly [name: string, value: string])[];
  /** Names in small letters. */
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly request: SeenText | null;
  readonly status: number;
  readonly answer: SeenText | null;
  /** A client, a subject or an address. */
  readonly caller: string;
  /** Kinds of credentials that came. */
  readonly credentials: readonly string[];
}
