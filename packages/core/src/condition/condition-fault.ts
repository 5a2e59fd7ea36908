/** What is wrong with the text of a condition, and where. */
export interface ConditionFault {
  /** Characters (UTF-16 code units) before it. */
  readonly at: number;
  /** Characters that it covers, at least 1 unless at the end of the text. */
  readonly length: number;
  readonly says: string;
}

/** The word, number or sign that begins at a place, for marking it. */
export function wordLength(source: string, at: number): number {
  const found = /^(?:[A-Za-z_][A-Za-z0-9_]*|\d[\w.]*|"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|&&|\|\||[<>=!]=|\S)/.exec(source.slice(at));
  return Math.min(found?.[0].length ?? 1, Math.max(0, source.length - at));
}

/** Line and column of a place, both from 1. */
export function placeIn(source: string, at: number): { readonly line: number; readonly column: number } {
  const before = source.slice(0, at);
  return { line: before.split('\n').length, column: at - before.lastIndexOf('\n') };
}
