/** Parts of names that mean a secret wherever they stand. */
const ANYWHERE = /token|secret|passw|passphrase|passcode|credential|apikey|api[-_.]?key|assertion|jwt|session|signature|private/i;
/** Words that mean one only when they stand alone: `pin` is, `shipping` is not. */
const WORDS: ReadonlySet<string> = new Set([
  'auth',
  'authorization',
  'bearer',
  'cert',
  'code',
  'dpop',
  'key',
  'nonce',
  'otp',
  'pass',
  'pin',
  'pw',
  'pwd',
  'sid',
  'sig',
  'tan',
  'totp',
]);
/** Segments of a path behind which a secret stands, as in `/reset-password/…`. */
const BEFORE_SECRET: ReadonlySet<string> = new Set(['token', 'secret', 'password', 'pwd', 'pin', 'otp', 'passcode', 'apikey']);

const wordsOf = (name: string): string[] =>
  name
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z0-9]+/);

/** Whether a header, cookie, parameter or member of this name holds a secret. One table for all of them. */
export function isSecretName(name: string): boolean {
  const short = name.slice(0, 200);
  return ANYWHERE.test(short) || wordsOf(short).some((word) => WORDS.has(word));
}

/** Whether what follows this segment of a path is a secret. */
export function isSecretSegment(segment: string): boolean {
  const words = segment.length > 60 ? [] : wordsOf(segment);
  return BEFORE_SECRET.has(words[words.length - 1] ?? '');
}
