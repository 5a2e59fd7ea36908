import { pointerOf } from '../util/json-pointer.js';
import type { Evidence } from './evidence.js';
import { isRequired, type DescribedOperation } from './learned-document.js';
import type { SeenOperation, SeenParameter } from './seen-operation.js';
import { requiredMembers, typesOf, type SeenShape } from './seen-shape.js';
import { formatOfKinds, schemaOfKinds } from './text-kind.js';

/** One thing that was learned of an operation, with what it rests on. */
export interface EvidenceRow {
  /** Where the description says it, into the operation: what is left out by `leaveOut`. */
  readonly pointer: string;
  /** Where it stands: `path`, `query`, `header`, `body`, or `answer` with its status. */
  readonly where: string;
  /** A name, or a pointer into bodies with `*` for every item of a list. */
  readonly at: string;
  /** What is said of it: its type, and whether it is required. */
  readonly says: string;
  /** In how many of how many it was seen. */
  readonly seen: number;
  readonly of: number;
  readonly first: number;
  readonly last: number;
  /** Who it came from or went to, as far as they are told apart. */
  readonly callers: ReadonlyMap<string, number>;
  /** Forms of some values, masked. */
  readonly samples: readonly string[];
}

const MOST_ROWS = 400;

/** What a learned operation rests on, in the order of its description. */
export function evidenceRows(seen: SeenOperation, { operation }: DescribedOperation): EvidenceRow[] {
  const rows: EvidenceRow[] = [];
  const add = (pointer: string, where: string, at: string, says: string, evidence: Evidence, of: number, samples: readonly string[] = []): void => {
    if (rows.length < MOST_ROWS)
      rows.push({ pointer, where, at, says, seen: evidence.seen, of, first: evidence.first, last: evidence.last, callers: evidence.callers, samples });
  };
  const parameters = Array.isArray(operation['parameters']) ? (operation['parameters'] as { readonly name: string; readonly in: string }[]) : [];
  let place = 0;
  for (const [index, { name, in: where }] of parameters.entries()) {
    const own = where === 'path' ? seen.path[place++] : (where === 'query' ? seen.query : seen.headers).get(name);
    if (own) add(`/parameters/${index}`, where, name, parameterWords(own, where === 'path' || isRequired(own, seen)), own, seen.seen, own.samples);
  }
  const bodies = [...seen.bodies].filter(([type]) => type !== '');
  for (const [type, shape] of bodies) {
    const pointer = `/requestBody/content${pointerOf(type)}`;
    add(bodies.length === 1 ? '/requestBody' : pointer, 'body', '', `${type}, ${shapeWords(shape)}`, shape, seen.seen);
    addMembers(shape, `${pointer}/schema`, 'body', '', add);
  }
  for (const [status, answers] of [...seen.answers].sort(([a], [b]) => a - b)) {
    const where = `answer ${status}`;
    add(pointerOf('responses', status), where, '', [...answers.contents.keys()].filter(Boolean).join(', ') || 'no body', answers, seen.seen);
    for (const [type, shape] of answers.contents) if (type !== '') addMembers(shape, pointerOf('responses', status, 'content', type, 'schema'), where, '', add);
  }
  return rows;
}

type Add = (pointer: string, where: string, at: string, says: string, evidence: Evidence, of: number, samples?: readonly string[]) => void;

function addMembers(shape: SeenShape, pointer: string, where: string, at: string, add: Add): void {
  const required = new Set(requiredMembers(shape));
  for (const [name, member] of shape.members) {
    const own = `${pointer}/properties${pointerOf(name)}`;
    add(own, where, at + pointerOf(name), `${shapeWords(member)}${required.has(name) ? ', required' : ''}`, member, shape.objects, member.samples);
    addMembers(member, own, where, at + pointerOf(name), add);
  }
  if (shape.others)
    add(`${pointer}/additionalProperties`, where, `${at}/*`, `any name: ${shapeWords(shape.others)}`, shape.others, shape.seen, shape.others.samples);
  if (shape.items) addMembers(shape.items, `${pointer}/items`, where, `${at}/*`, add);
}

function shapeWords(shape: SeenShape): string {
  const types = typesOf(shape);
  const { format } = formatOfKinds(shape.kinds);
  const inner = shape.items && shape.items.objects === 0 ? ` of ${typesOf(shape.items).join(' or ')}` : '';
  return `${types.join(' or ') || 'nothing that is read'}${shape.texts > 0 && typeof format === 'string' ? ` (${format})` : ''}${inner}`;
}

function parameterWords(seen: SeenParameter, required: boolean): string {
  const { type, format } = schemaOfKinds(seen.kinds);
  const one = `${String(type)}${typeof format === 'string' ? ` (${format})` : ''}`;
  return `${seen.repeated > 0 ? `list of ${one}` : one}${required ? ', required' : ''}`;
}
