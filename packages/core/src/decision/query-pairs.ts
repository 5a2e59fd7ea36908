/**
 * Names and values in their order, of a query without its question mark, or of a form.
 * @throws Error in words for escapes that are no UTF-8
 */
export function* readPairs(text: string): Generator<readonly [string, string]> {
  for (const pair of text === '' ? [] : text.split('&')) {
    const at = pair.indexOf('=');
    yield [decode(at < 0 ? pair : pair.slice(0, at)), at < 0 ? '' : decode(pair.slice(at + 1))];
  }
}

function decode(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    throw new Error('the query has escapes that are no UTF-8');
  }
}
