import { addCounts, addEvidence, countOne, joinByName, newEvidence, saw, type Evidence, type SeenIn } from './evidence.js';
import { formOf } from './mask-sample.js';
import { formatOfKinds, isIdentifier, textKind, type TextKind } from './text-kind.js';

/** Values that stood at one place of JSON bodies: of which types, and what was in them. */
export interface SeenShape extends Evidence {
  nulls: number;
  booleans: number;
  integers: number;
  numbers: number;
  texts: number;
  readonly kinds: Map<TextKind, number>;
  /** Forms of some texts and numbers, masked. */
  readonly samples: string[];
  objects: number;
  readonly members: Map<string, SeenShape>;
  /** What stood in members whose names are values themselves, or are too many to be told apart. */
  others: SeenShape | null;
  lists: number;
  items: SeenShape | null;
}

/** How much is told apart. */
export const SHAPE_LIMITS = { members: 100, depth: 20, items: 100, samples: 3, kinds: 6 } as const;

/** Objects that must have been seen before a member that all of them have is called required. */
export const LEAST_FOR_REQUIRED = 5;

/** Places that may still be added to what is known of an operation. */
export interface Room {
  left: number;
}

export const newShape = (): SeenShape => ({
  ...newEvidence(),
  nulls: 0,
  booleans: 0,
  integers: 0,
  numbers: 0,
  texts: 0,
  kinds: new Map(),
  samples: [],
  objects: 0,
  members: new Map(),
  others: null,
  lists: 0,
  items: null,
});

/** Adds one value. What there is no room for is left out and counted by nobody. */
export function sawValue(shape: SeenShape, value: unknown, seenIn: SeenIn, room: Room, depth = 0): void {
  saw(shape, seenIn);
  if (value === null) shape.nulls++;
  else if (typeof value === 'boolean') shape.booleans++;
  else if (typeof value === 'number') {
    if (Number.isInteger(value)) shape.integers++;
    else shape.numbers++;
    addSample(shape, String(value));
  } else if (typeof value === 'string') {
    shape.texts++;
    countOne(shape.kinds, textKind(value), SHAPE_LIMITS.kinds);
    addSample(shape, value);
  } else if (Array.isArray(value)) {
    shape.lists++;
    if (depth >= SHAPE_LIMITS.depth) return;
    for (const item of (value as unknown[]).slice(0, SHAPE_LIMITS.items)) {
      shape.items ??= placeIn(room);
      if (shape.items === null) return;
      sawValue(shape.items, item, seenIn, room, depth + 1);
    }
  } else if (typeof value === 'object') {
    shape.objects++;
    if (depth >= SHAPE_LIMITS.depth) return;
    for (const [name, member] of Object.entries(value)) {
      const own = memberOf(shape, name, room);
      if (own !== null) sawValue(own, member, seenIn, room, depth + 1);
    }
  }
}

function addSample(shape: SeenShape, text: string): void {
  if (shape.samples.length >= SHAPE_LIMITS.samples) return;
  const form = formOf(text);
  if (!shape.samples.includes(form)) shape.samples.push(form);
}

function placeIn(room: Room): SeenShape | null {
  if (room.left <= 0) return null;
  room.left--;
  return newShape();
}

function memberOf(shape: SeenShape, name: string, room: Room): SeenShape | null {
  const known = shape.members.get(name);
  if (known) return known;
  if (isIdentifier(name) || shape.members.size >= SHAPE_LIMITS.members) return (shape.others ??= placeIn(room));
  const fresh = placeIn(room);
  if (fresh) shape.members.set(name, fresh);
  return fresh;
}

/** Adds what another node, or an earlier time, knows of the same place. */
export function joinShapes(into: SeenShape, from: SeenShape, room: Room): void {
  addEvidence(into, from);
  into.nulls += from.nulls;
  into.booleans += from.booleans;
  into.integers += from.integers;
  into.numbers += from.numbers;
  into.texts += from.texts;
  into.objects += from.objects;
  into.lists += from.lists;
  addCounts(into.kinds, from.kinds, SHAPE_LIMITS.kinds);
  for (const sample of from.samples) if (into.samples.length < SHAPE_LIMITS.samples && !into.samples.includes(sample)) into.samples.push(sample);
  for (const [name, member] of from.members) {
    const own = memberOf(into, name, room);
    if (own) joinShapes(own, member, room);
  }
  for (const part of ['others', 'items'] as const) {
    const more = from[part];
    if (more === null) continue;
    into[part] ??= placeIn(room);
    if (into[part]) joinShapes(into[part], more, room);
  }
}

/** The types of what was seen, by their names in JSON Schema. */
export function typesOf(shape: SeenShape): string[] {
  const { objects, lists, texts, numbers, integers, booleans, nulls } = shape;
  return [
    ...(objects > 0 ? ['object'] : []),
    ...(lists > 0 ? ['array'] : []),
    ...(texts > 0 ? ['string'] : []),
    ...(numbers > 0 ? ['number'] : integers > 0 ? ['integer'] : []),
    ...(booleans > 0 ? ['boolean'] : []),
    ...(nulls > 0 ? ['null'] : []),
  ];
}

/** Members that every object had, of enough objects to say so. */
export const requiredMembers = ({ objects, members }: SeenShape): string[] =>
  objects < LEAST_FOR_REQUIRED ? [] : [...members].filter(([, { seen }]) => seen === objects).map(([name]) => name);

/** A schema (JSON Schema 2020-12) that everything seen keeps to. */
export function schemaOf(shape: SeenShape): Readonly<Record<string, unknown>> {
  const types = typesOf(shape);
  if (types.length === 0) return {};
  const schema: Record<string, unknown> = { type: types.length === 1 ? types[0] : types };
  if (shape.texts > 0) {
    const { format } = formatOfKinds(shape.kinds);
    if (format !== undefined) schema['format'] = format;
  }
  if (shape.objects > 0) {
    if (shape.members.size > 0) schema['properties'] = Object.fromEntries([...shape.members].map(([name, member]) => [name, schemaOf(member)]));
    const required = requiredMembers(shape);
    if (required.length > 0) schema['required'] = required;
    if (shape.others) schema['additionalProperties'] = schemaOf(shape.others);
  }
  if (shape.items) schema['items'] = schemaOf(shape.items);
  return schema;
}

/** Joins shapes of bodies by their media type. */
export const joinContents = (into: Map<string, SeenShape>, from: ReadonlyMap<string, SeenShape>, room: Room, most: number): void =>
  joinByName(into, from, (own, more) => joinShapes(own, more, room), most);
