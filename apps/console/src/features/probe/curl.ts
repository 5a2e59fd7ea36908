import type { ProbeForm } from './probe-state';

const quote = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

/** Headers typed one a line. @throws Error naming the line that is none */
function readHeaders(text: string): { name: string; value: string }[] {
  return text
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => {
      const colon = line.indexOf(':');
      if (colon < 1) throw new Error(`“${line}” is not a header: write name, colon, value`);
      return { name: line.slice(0, colon).trim(), value: line.slice(colon + 1).trim() };
    });
}

/** Whether a body goes out as JSON because nobody says what it is. */
export function goesAsJson({ headers, body }: Pick<ProbeForm, 'headers' | 'body'>): boolean {
  if (!/^\s*[{[]/.test(body) || /^\s*content-type\s*:/im.test(headers)) return false;
  try {
    JSON.parse(body);
    return true;
  } catch {
    return false;
  }
}

/** Header fields as they are sent. A type that is written, be it empty, is the one that counts. @throws Error naming the line that is none */
export const sentHeaders = (form: Pick<ProbeForm, 'headers' | 'body'>): { name: string; value: string }[] => [
  ...readHeaders(form.headers),
  ...(goesAsJson(form) ? [{ name: 'content-type', value: 'application/json' }] : []),
];

/** The composed request as a curl line. The token is left to a shell variable, so that the line can be sent around. */
export function curlLine(form: ProbeForm, gatewayUrl: string): string {
  const parts = ['curl', '-i', '--path-as-is', '-X', form.method, quote(gatewayUrl + form.target)];
  for (const { name, value } of sentHeaders(form)) parts.push('-H', quote(`${name}: ${value}`));
  if (form.sender !== 'nobody') parts.push('-H', '"Authorization: Bearer $TOKEN"');
  if (form.body !== '') parts.push('--data-binary', quote(form.body));
  return parts.join(' ');
}
