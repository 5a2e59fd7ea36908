import { addCounts, addEvidence, countOne, joinByName, newEvidence, saw, type Evidence, type SeenIn } from './evidence.js';
import { formOf } from './mask-sample.js';
import { joinContents, newShape, sawValue, type Room, type SeenShape } from './seen-shape.js';
import type { SeenText, Sighting } from './sighting.js';
import { textKind, type TextKind } from './text-kind.js';

/** What was seen of one parameter. */
export interface SeenParameter extends Evidence {
  /** Requests in which it stood more than once. */
  repeated: number;
  readonly kinds: Map<TextKind, number>;
  readonly samples: string[];
}

/** What was seen of answers with one status. */
export interface SeenAnswers extends Evidence {
  readonly contents: Map<string, SeenShape>;
}

/** What was seen of one operation, in whichever order it came: two of these join to what one that saw both would be. */
export interface SeenOperation extends Evidence {
  readonly method: string;
  /** Kinds of credentials that came; `none` where none did. */
  readonly credentials: Map<string, number>;
  /** Parameters of the path, in order. */
  readonly path: SeenParameter[];
  readonly query: Map<string, SeenParameter>;
  readonly headers: Map<string, SeenParameter>;
  /** Requests that had no body. */
  bodiless: number;
  readonly bodies: Map<string, SeenShape>;
  readonly answers: Map<number, SeenAnswers>;
  /** Places of bodies that may still be added. */
  readonly room: Room;
}

/** How much is told apart of one operation. */
export const OPERATION_LIMITS = { callers: 50, callerName: 60, parameters: 60, contents: 8, statuses: 30, places: 1500, samples: 3, values: 20 } as const;

export const newOperation = (method: string): SeenOperation => ({
  ...newEvidence(),
  method,
  credentials: new Map(),
  path: [],
  query: new Map(),
  headers: new Map(),
  bodiless: 0,
  bodies: new Map(),
  answers: new Map(),
  room: { left: OPERATION_LIMITS.places },
});

const newParameter = (): SeenParameter => ({ ...newEvidence(), repeated: 0, kinds: new Map(), samples: [] });

/** Header fields that say something of the transfer, the connection or the client's program, and not of the operation. */
const COMMON_HEADERS = new Set(
  (
    'accept accept-charset accept-encoding accept-language access-control-request-headers access-control-request-method alt-used authorization cache-control ' +
    'connection content-encoding content-length content-type cookie date dnt dpop early-data expect forwarded from host if-match if-modified-since ' +
    'if-none-match if-range if-unmodified-since keep-alive max-forwards origin pragma priority proxy-authorization proxy-connection range referer ' +
    'save-data te trailer traceparent tracestate baggage transfer-encoding upgrade upgrade-insecure-requests user-agent via x-forwarded-for ' +
    'x-forwarded-host x-forwarded-proto x-real-ip x-request-id'
  ).split(' '),
);

/** Adds what was seen of one request. @param values what stood at the parameters of the path, in order */
export function sawRequest(operation: SeenOperation, sighting: Sighting, values: readonly string[]): void {
  const { credentials, query, headers, request, status, answer } = sighting;
  saw(operation, sighting, OPERATION_LIMITS.callers);
  // There are many things in one operation: whoever has a long name has a shorter one there.
  const seenIn: SeenIn = { at: sighting.at, caller: sighting.caller.slice(0, OPERATION_LIMITS.callerName) };
  for (const kind of credentials.length === 0 ? ['none'] : credentials) countOne(operation.credentials, kind);
  values.forEach((value, index) => sawParameter((operation.path[index] ??= newParameter()), [value], seenIn));
  for (const [name, texts] of grouped(query)) sawNamed(operation.query, name, texts, seenIn);
  for (const [name, texts] of grouped(headers)) if (!isCommon(name)) sawNamed(operation.headers, name, texts, seenIn);
  if (request === null) operation.bodiless++;
  else sawContent(operation.bodies, request, seenIn, operation.room);
  const answers = operation.answers.get(status) ?? (operation.answers.size < OPERATION_LIMITS.statuses ? newAnswers() : null);
  if (answers === null) return;
  operation.answers.set(status, answers);
  saw(answers, seenIn);
  if (answer !== null) sawContent(answers.contents, answer, seenIn, operation.room);
}

const isCommon = (name: string): boolean => COMMON_HEADERS.has(name) || name.startsWith('sec-');

const newAnswers = (): SeenAnswers => ({ ...newEvidence(), contents: new Map() });

function grouped(pairs: readonly (readonly [string, string])[]): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const [name, value] of pairs) {
    const before = found.get(name);
    if (before === undefined) found.set(name, [value]);
    else if (before.length < OPERATION_LIMITS.values) before.push(value);
  }
  return found;
}

function sawNamed(known: Map<string, SeenParameter>, name: string, texts: readonly string[], seenIn: SeenIn): void {
  let own = known.get(name);
  if (!own) {
    if (known.size >= OPERATION_LIMITS.parameters || name.length > 100) return;
    known.set(name, (own = newParameter()));
  }
  sawParameter(own, texts, seenIn);
}

function sawParameter(own: SeenParameter, texts: readonly string[], seenIn: SeenIn): void {
  saw(own, seenIn);
  if (texts.length > 1) own.repeated++;
  for (const text of texts) {
    countOne(own.kinds, textKind(text));
    const form = formOf(text);
    if (own.samples.length < OPERATION_LIMITS.samples && !own.samples.includes(form)) own.samples.push(form);
  }
}

function sawContent(contents: Map<string, SeenShape>, { type, value }: SeenText, seenIn: SeenIn, room: Room): void {
  const name = type ?? '';
  let shape = contents.get(name);
  if (!shape) {
    if (contents.size >= OPERATION_LIMITS.contents) return;
    contents.set(name, (shape = newShape()));
  }
  if (value === undefined) saw(shape, seenIn);
  else sawValue(shape, value, seenIn, room);
}

/** Adds what another saw of the same operation. */
export function joinOperations(into: SeenOperation, from: SeenOperation): void {
  addEvidence(into, from, OPERATION_LIMITS.callers);
  addCounts(into.credentials, from.credentials);
  from.path.forEach((parameter, index) => joinParameters((into.path[index] ??= newParameter()), parameter));
  joinByName(into.query, from.query, joinParameters, OPERATION_LIMITS.parameters);
  joinByName(into.headers, from.headers, joinParameters, OPERATION_LIMITS.parameters);
  into.bodiless += from.bodiless;
  joinContents(into.bodies, from.bodies, into.room, OPERATION_LIMITS.contents);
  joinByName(
    into.answers,
    from.answers,
    (own, more) => {
      addEvidence(own, more);
      joinContents(own.contents, more.contents, into.room, OPERATION_LIMITS.contents);
    },
    OPERATION_LIMITS.statuses,
  );
}

function joinParameters(into: SeenParameter, from: SeenParameter): void {
  addEvidence(into, from);
  into.repeated += from.repeated;
  addCounts(into.kinds, from.kinds);
  for (const sample of from.samples) if (into.samples.length < OPERATION_LIMITS.samples && !into.samples.includes(sample)) into.samples.push(sample);
}
