import { createHmac, randomBytes } from 'node:crypto';

/**
 * Says to a gateway node from where somebody calls whose call the portal carries, so that rules about addresses and limits by
 * address hold for them and not for the control plane.
 * @returns the value of CALLER_HEADER: time, chance, address, and their MAC by the nodes' token
 */
export function markCaller(address: string, nodeToken: string, now: number): string {
  const said = `${now}~${randomBytes(9).toString('base64url')}~${address}`;
  return `${said}~${createHmac('sha256', nodeToken).update(`caller ${said}`).digest('base64url')}`;
}
