/**
 * Whether the `htu` of a proof names the address of a request: scheme and host without case, the default port left
 * out or written, percent-encoding normalised, query and fragment ignored (RFC 9449 section 4.3, point 9; RFC 3986
 * sections 6.2.2 and 6.2.3).
 */
export function sameTarget(htu: string, url: string): boolean {
  const wanted = normalised(url);
  return wanted !== null && normalised(htu) === wanted;
}

function normalised(text: string): string | null {
  if (!URL.canParse(text)) return null;
  const url = new URL(text);
  if ((url.protocol !== 'https:' && url.protocol !== 'http:') || url.username !== '' || url.password !== '') return null;
  return `${url.protocol}//${url.host}${normalisedPath(url.pathname)}`;
}

/** Unreserved characters are written plainly, other escapes in capitals. */
function normalisedPath(path: string): string {
  return path.replace(/%([0-9a-f]{2})/gi, (escape, digits: string) => {
    const character = String.fromCharCode(Number.parseInt(digits, 16));
    return /[A-Za-z0-9\-._~]/.test(character) ? character : escape.toUpperCase();
  });
}
