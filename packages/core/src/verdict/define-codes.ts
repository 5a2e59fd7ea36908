import type { CodeEntry } from './code-entry.js';

// Rows of different operands have no common type but this; each keeps its own.
// oxlint-disable-next-line typescript/no-explicit-any
type Rows = Readonly<Record<string, CodeEntry<any>>>;

/** The tables one after the other, or the code that stands in two of them. */
type Disjoint<Tables extends readonly Rows[], Seen = never> = Tables extends readonly [infer First, ...infer Rest extends readonly Rows[]]
  ? [keyof First & Seen] extends [never]
    ? Disjoint<Rest, Seen | keyof First>
    : { readonly 'stands twice': keyof First & Seen }
  : unknown;

type Merged<Tables extends readonly Rows[]> = Tables extends readonly [infer First, ...infer Rest extends readonly Rows[]] ? First & Merged<Rest> : unknown;
type Flat<Table> = { readonly [Code in keyof Table]: Table[Code] };

/** Puts tables of codes together. A code that stands in two of them does not compile. */
export function defineCodes<const Tables extends readonly Rows[]>(...tables: Tables & Disjoint<Tables>): Flat<Merged<Tables>> {
  return Object.freeze(Object.assign({}, ...tables)) as Flat<Merged<Tables>>;
}
