import { json, type Request, type RequestHandler } from 'express';

/** Containers inside each other in a body. */
const DEPTH = 64;

interface Seen {
  readonly bytes: Buffer;
  /** Names of members that stand in the text. */
  readonly names: number;
}

const bodyError = (status: number, type: string, says: string): Error => Object.assign(new Error(says), { status, type });

/**
 * Reads a body of JSON that every reader takes alike (RFC 8259): in UTF-8 (section 8.1), with no member twice in one object (section 4,
 * "interoperable"), and containers at most 64 deep (section 9). What a member asks is not lost to another of the same name.
 * @param limit bytes
 */
export function jsonBody(limit: number): RequestHandler {
  const seen = new WeakMap<object, Seen>();
  const read = json({
    limit,
    strict: false,
    verify: (request, _response, bytes, encoding) => {
      if (encoding !== 'utf-8') throw bodyError(415, 'charset.unsupported', `The body is in ${encoding.toUpperCase()}; JSON is sent in UTF-8`);
      seen.set(request, { bytes, names: namesIn(bytes) });
    },
  });
  return (request: Request, response, next) =>
    read(request, response, (error?: unknown) => {
      if (error !== undefined) return next(error);
      const text = seen.get(request);
      seen.delete(request);
      if (text === undefined || membersOf(request.body) === text.names) return next();
      next(bodyError(400, 'entity.twice', `The member ${JSON.stringify(nameTwice(text.bytes.toString('utf8')))} stands twice in one object`));
    });
}

/** How many names of members stand in a text of JSON. @throws an error of the reader's own kind for containers nested too deep; texts do not count */
function namesIn(bytes: Buffer): number {
  let depth = 0;
  let names = 0;
  let inText = false;
  for (let at = 0; at < bytes.length; at++) {
    const byte = bytes[at];
    if (inText) {
      if (byte === 0x5c) at++;
      else if (byte === 0x22) inText = false;
    } else if (byte === 0x22) inText = true;
    else if (byte === 0x3a) names++;
    else if (byte === 0x5b || byte === 0x7b) {
      if (++depth > DEPTH) throw bodyError(400, 'entity.nested', `The body is nested deeper than ${DEPTH} levels`);
    } else if (byte === 0x5d || byte === 0x7d) depth--;
  }
  return names;
}

/** How many members all objects in a value have. */
function membersOf(value: unknown): number {
  if (typeof value !== 'object' || value === null) return 0;
  const inner: unknown[] = Array.isArray(value) ? (value as unknown[]) : Object.values(value);
  return inner.reduce<number>((sum, one) => sum + membersOf(one), Array.isArray(value) ? 0 : inner.length);
}

/** The first name that stands twice in one object of a text of JSON; a part of it where it is long. */
function nameTwice(text: string): string {
  const open: Set<string>[] = [];
  for (let at = 0; at < text.length; at++) {
    const character = text[at];
    if (character === '{' || character === '[') open.push(new Set());
    else if (character === '}' || character === ']') open.pop();
    if (character !== '"') continue;
    const from = at;
    while (text[++at] !== '"') if (text[at] === '\\') at++;
    let behind = at + 1;
    while (/\s/.test(text[behind] ?? '')) behind++;
    if (text[behind] !== ':') continue;
    const name = JSON.parse(text.slice(from, at + 1)) as string;
    const names = open[open.length - 1];
    if (names?.has(name)) return name.slice(0, 60);
    names?.add(name);
  }
  return '';
}
