import { typedText } from '../contract/check/typed-value.js';
import type { TextForm } from './text-forms.js';

/** Types of which one text is a value. */
const PLAIN: ReadonlySet<string> = new Set(['string', 'number', 'integer', 'boolean', 'null']);
/** So many values are said in words. */
const MOST_SAID = 8;

/**
 * The form of texts that a contract describes: read as its check reads them (`typedText`), they are of one of its types and one of
 * its values. Null where any text may come: lists and objects are written in several ways.
 * @param words the type as the page of the contract has it
 * @param values JSON texts of the only values; null where others may come
 */
export function describedForm(words: string, values: readonly string[] | null = null): TextForm | null {
  const types = new Set(words.split(' or ').map((word) => word.replace(/ \([^()]*\)$/, '')));
  if (![...types].every((type) => PLAIN.has(type)) || (types.has('string') && values === null)) return null;
  const allowed = values && new Set(values);
  return (text) => {
    const value = typedText(text, types, false);
    const fits = isOf(value, types);
    if (fits && (allowed === null || allowed.has(JSON.stringify(value)))) return null;
    // A text that a check may read otherwise in the place where it stands is not judged.
    if (text === '') return null;
    return `${JSON.stringify(text)} is no value of it: the contract allows ${fits && allowed ? said([...allowed]) : words}`;
  };
}

const said = (values: readonly string[]): string =>
  values.length > MOST_SAID ? `${values.slice(0, MOST_SAID).join(', ')} and ${values.length - MOST_SAID} more` : values.join(', ');

function isOf(value: unknown, types: ReadonlySet<string>): boolean {
  switch (typeof value) {
    case 'string':
      return types.has('string');
    case 'number':
      return types.has('number') || (types.has('integer') && Number.isInteger(value));
    case 'boolean':
      return types.has('boolean');
    default:
      return types.has('null');
  }
}
