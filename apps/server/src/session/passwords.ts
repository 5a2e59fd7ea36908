import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';

const COST = { N: 32_768, r: 8, p: 1, maxmem: 64 * 1024 * 1024 } as const;

const derive = (password: string, salt: Buffer): Promise<Buffer> =>
  new Promise((resolve, reject) => scrypt(password.normalize('NFKC'), salt, 32, COST, (error, key) => (error ? reject(error) : resolve(key))));

/** A password as `scrypt$salt$key` (RFC 7914). */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `scrypt$${salt.toString('base64url')}$${(await derive(password, salt)).toString('base64url')}`;
}

/** Compares in constant time; takes as long for an account that does not exist. */
export async function checkPassword(password: string, stored: string | null): Promise<boolean> {
  const [, salt = '', key = ''] = (stored ?? `scrypt$${'A'.repeat(22)}$${'A'.repeat(43)}`).split('$');
  const derived = await derive(password, Buffer.from(salt, 'base64url'));
  const expected = Buffer.from(key, 'base64url');
  return derived.length === expected.length && timingSafeEqual(derived, expected) && stored !== null;
}
