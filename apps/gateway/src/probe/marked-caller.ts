import { createHmac, timingSafeEqual } from 'node:crypto';
import { isIP } from 'node:net';

/** How old a mark may be, and how far clocks may differ. */
const GOOD_MS = 60_000;

/**
 * From where somebody calls whose call the portal of the control plane carries, as CALLER_HEADER says.
 * @returns the address; empty for a mark that is wrong, too old or says none: then nobody knows from where it comes, and rules
 * about addresses let it pass nowhere
 */
export function markedCaller(mark: string, token: string, now: number): string {
  const [at = '', nonce = '', address = '', mac = '', ...more] = mark.split('~');
  const expected = createHmac('sha256', token).update(`caller ${at}~${nonce}~${address}`).digest();
  const given = Buffer.from(mac, 'base64url');
  const right = more.length === 0 && given.length === expected.length && timingSafeEqual(given, expected);
  return right && Math.abs(now - Number(at)) <= GOOD_MS && isIP(address) !== 0 ? address : '';
}
