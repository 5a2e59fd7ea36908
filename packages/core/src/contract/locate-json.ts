import { pointerToken } from '../util/json-pointer.js';

/** What a walk over a JSON text finds: lines of the pointers asked for, and members that stand twice. */
export interface LocatedJson {
  readonly lines: ReadonlyMap<string, number>;
  readonly repeated: readonly { readonly pointer: string; readonly line: number }[];
}

interface Frame {
  readonly pointer: string;
  readonly names: Set<string> | null;
  index: number;
  name: string;
}

/**
 * Finds the lines of values in a JSON text that `JSON.parse` has accepted. One pass, no recursion.
 * @param wanted JSON Pointers whose lines are asked for
 */
export function locateJson(text: string, wanted: ReadonlySet<string>): LocatedJson {
  const lines = new Map<string, number>();
  const repeated: { pointer: string; line: number }[] = [];
  const stack: Frame[] = [];
  let line = 1;
  const here = (): string => {
    const top = stack[stack.length - 1];
    return top ? `${top.pointer}/${top.names ? pointerToken(top.name) : top.index}` : '';
  };
  const meet = (): string => {
    const pointer = here();
    if (wanted.has(pointer) && !lines.has(pointer)) lines.set(pointer, line);
    return pointer;
  };
  let expectName = false;
  for (let at = 0; at < text.length; at++) {
    const c = text[at];
    const top = stack[stack.length - 1];
    if (c === '\n') line++;
    else if (c === '{' || c === '[') {
      stack.push({ pointer: meet(), names: c === '{' ? new Set() : null, index: 0, name: '' });
      expectName = c === '{';
    } else if (c === '}' || c === ']') {
      stack.pop();
      expectName = false;
    } else if (c === ',' && top) {
      top.index++;
      expectName = top.names !== null;
    } else if (c === '"') {
      let end = at + 1;
      while (end < text.length && text[end] !== '"') end += text[end] === '\\' ? 2 : 1;
      if (expectName && top?.names) {
        top.name = JSON.parse(text.slice(at, end + 1)) as string;
        if (top.names.has(top.name)) repeated.push({ pointer: here(), line });
        top.names.add(top.name);
        expectName = false;
      } else meet();
      at = end;
    } else if (c !== undefined && /[-0-9tfn]/.test(c)) {
      meet();
      while (/[-+.\w]/.test(text[at + 1] ?? '')) at++;
    }
  }
  return { lines, repeated };
}
