import type { TextForm } from './text-forms.js';

/** The types that values of conditions have (Common Expression Language, language definition, "Values"). `dyn` is not known before. */
export type ConditionType =
  | { readonly kind: 'bool' | 'int' | 'uint' | 'double' | 'bytes' | 'null' | 'timestamp' | 'duration' | 'type' | 'dyn' }
  /** Texts, of some form where there is one. Nothing that decides: any text may come. */
  | { readonly kind: 'string'; readonly form?: TextForm }
  | { readonly kind: 'list'; readonly of: ConditionType }
  /** Keys of one that is in lower case have no capitals. */
  | { readonly kind: 'map'; readonly key: ConditionType; readonly of: ConditionType; readonly lowerCase?: true }
  /** One that is open may have other members, of which nothing is known but what `others` says: their type, and whether anybody described them. */
  | {
      readonly kind: 'record';
      readonly name: string;
      readonly members: Readonly<Record<string, MemberType>>;
      readonly open?: boolean;
      readonly others?: { readonly type: ConditionType; readonly described: boolean };
    };

/** A member of what conditions look at. */
export interface MemberType {
  readonly type: ConditionType;
  /** What it holds, in one sentence. */
  readonly about: string;
}

export const BOOL: ConditionType = Object.freeze({ kind: 'bool' });
export const INT: ConditionType = Object.freeze({ kind: 'int' });
export const UINT: ConditionType = Object.freeze({ kind: 'uint' });
export const DOUBLE: ConditionType = Object.freeze({ kind: 'double' });
export const STRING: ConditionType = Object.freeze({ kind: 'string' });
export const BYTES: ConditionType = Object.freeze({ kind: 'bytes' });
export const NULL: ConditionType = Object.freeze({ kind: 'null' });
export const TIMESTAMP: ConditionType = Object.freeze({ kind: 'timestamp' });
export const DURATION: ConditionType = Object.freeze({ kind: 'duration' });
export const TYPE: ConditionType = Object.freeze({ kind: 'type' });
export const DYN: ConditionType = Object.freeze({ kind: 'dyn' });
/** The type of the items of an empty list: it joins with any other. */
export const NOTHING: ConditionType = Object.freeze({ kind: 'dyn' });
export const textLike = (form: TextForm): ConditionType => ({ kind: 'string', form });
export const listOf = (of: ConditionType): ConditionType => ({ kind: 'list', of });
export const mapOf = (of: ConditionType, key: ConditionType = STRING): ConditionType => ({ kind: 'map', key, of });

/** The type as one would write it down. */
export function typeName(type: ConditionType): string {
  switch (type.kind) {
    case 'list':
      return `list(${typeName(type.of)})`;
    case 'map':
      return `map(${typeName(type.key)}, ${typeName(type.of)})`;
    case 'record':
      return type.name;
    default:
      return type.kind;
  }
}

/** Whether a value of one type may stand where one of the other is asked for. */
export function fits(given: ConditionType, asked: ConditionType): boolean {
  if (given.kind === 'dyn' || asked.kind === 'dyn') return true;
  if (given.kind === 'list' && asked.kind === 'list') return fits(given.of, asked.of);
  if (given.kind === 'map' && asked.kind === 'map') return fits(given.key, asked.key) && fits(given.of, asked.of);
  if (given.kind === 'record' && asked.kind === 'map') return fits(STRING, asked.key);
  if (given.kind === 'record' && asked.kind === 'record') return given.name === asked.name;
  return given.kind === asked.kind;
}

const NUMBERS: ReadonlySet<string> = new Set(['int', 'uint', 'double']);

/** Whether two values can be equal at all; numbers of all kinds compare. */
export const comparable = (one: ConditionType, other: ConditionType): boolean =>
  fits(one, other) || fits(other, one) || (NUMBERS.has(one.kind) && NUMBERS.has(other.kind));

/** One type for values of both; `dyn` where they differ. */
export function joined(one: ConditionType, other: ConditionType): ConditionType {
  if (one === NOTHING) return other;
  if (other === NOTHING) return one;
  if (one.kind === 'list' && other.kind === 'list') return listOf(joined(one.of, other.of));
  if (one.kind === 'map' && other.kind === 'map') return mapOf(joined(one.of, other.of), joined(one.key, other.key));
  if (one.kind === 'string' && other.kind === 'string') return one.form === other.form ? one : STRING;
  return typeName(one) === typeName(other) ? one : DYN;
}
