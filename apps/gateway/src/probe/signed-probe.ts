import { createHmac, timingSafeEqual } from 'node:crypto';

/** Whether a header is `nonce.mac` made with the node's token. */
export function isSigned(header: string, token: string): boolean {
  const [nonce = '', mac = ''] = header.split('.');
  const expected = createHmac('sha256', token).update(nonce).digest();
  const given = Buffer.from(mac, 'base64url');
  return given.length === expected.length && timingSafeEqual(given, expected);
}
