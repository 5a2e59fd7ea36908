/** Header names whose values are credentials or often hold them. */
const SECRET_HEADER =
  /^(authorization|proxy-authorization|cookie|set-cookie|dpop|x-forwarded-client-cert|client-cert(-chain)?)$|token|secret|password|api[-_]?key|credential|session|signature|assertion/i;
const SECRET_NAME = /token|secret|password|key|assertion|credential|code|signature|sig|jwt|session/i;
// Every expression here takes time in proportion to the text, whatever a caller writes: each begins only where a run
// begins, and what a run is, is decided outside of the expression.
const PARAMETER = /([?&;])([^=&;?]*)=([^&;]*)/g;
/** A run of base64url characters with dots behind it: what a compact JWS or JWE looks like. */
const DOTTED = /(?<![A-Za-z0-9_-])[A-Za-z0-9_-]{10,}(?:\.[A-Za-z0-9_-]*){1,4}/g;
/** Long runs of an alphabet that random values have. */
const LONG_RUN = /[A-Za-z0-9_~+-]{32,}/g;

const isRandom = (run: string): boolean => /[0-9]/.test(run) && /[a-z]/.test(run) && /[A-Z]/.test(run);

/**
 * A text with everything taken out that could be a credential. What is taken out is named, never shown.
 * @param credential the credential that this request was sent with, removed wherever it stands
 */
export function redactText(text: string, credential: string | null = null): string {
  let clean = text;
  if (credential !== null && credential.length >= 4) clean = clean.replaceAll(credential, '<credential>');
  return clean
    .replace(PARAMETER, (all, mark: string, name: string) => (SECRET_NAME.test(name) ? `${mark}${name}=<removed>` : all))
    .replace(DOTTED, (all) => {
      const start = all.indexOf('ey');
      return start < 0 ? all : `${all.slice(0, start)}<JWT>`;
    })
    .replace(LONG_RUN, (run) => (isRandom(run) ? '<secret?>' : run));
}

/** A header value for a trace. The scheme of a credential is kept, its bytes are not. */
export function redactHeader(name: string, value: string, credential: string | null = null): string {
  if (!SECRET_HEADER.test(name)) return redactText(value, credential);
  if (/authorization$/i.test(name)) {
    const scheme = /^[A-Za-z][\w-]{0,20}(?= )/.exec(value)?.[0];
    return `${scheme ? `${scheme} ` : ''}<removed, ${value.length} characters>`;
  }
  if (/^cookie$/i.test(name))
    return value
      .split(';')
      .map((pair) => `${(pair.split('=')[0] ?? '').trim()}=<removed>`)
      .join('; ');
  return `<removed, ${value.length} characters>`;
}
