/** Characters of a sample. */
const MOST = 28;

/** The form of a value and nothing else of it: letters become x, digits 9, signs stay. */
export function formOf(value: string): string {
  const form = value
    .slice(0, MOST)
    .replace(/\p{L}/gu, 'x')
    .replace(/\p{N}/gu, '9')
    .replace(/[\x00-\x1f\x7f]/g, ' ');
  return value.length > MOST ? `${form}…` : form;
}
