import { ValidateIf } from 'class-validator';

const WORDS = new WeakMap<object, Map<string, string>>();

/** A member that may hold one word in capitals in place of its value: what it leaves out is said, never missing. */
export function WordInstead(word: string): PropertyDecorator {
  return (target, property) => {
    const members = WORDS.get(target) ?? new Map<string, string>();
    WORDS.set(target, members.set(String(property), word));
    ValidateIf((_object, value) => value !== word)(target, property);
  };
}

/** The word that may stand in place of a member's value; undefined where none may. */
export function wordInstead(prototype: object, property: string): string | undefined {
  for (let at: object | null = prototype; at !== null; at = Object.getPrototypeOf(at) as object | null) {
    const word = WORDS.get(at)?.get(property);
    if (word !== undefined) return word;
  }
  return undefined;
}
