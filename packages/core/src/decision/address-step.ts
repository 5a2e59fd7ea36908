import { AddressSet } from '../address/address-set.js';
import type { AddressRule, FenceRule, NetworkRule } from '../document/address-rule.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { CompiledStep } from './compiled.js';
import type { Exchange } from './exchange.js';

/** Compiles a rule about addresses; null where everybody may call. */
export function compileAddresses(rule: AddressRule, networks: readonly NetworkRule[]): ((exchange: Pick<Exchange, 'from'>) => Finding) | null {
  if (rule.kind === 'anywhere') return null;
  const set = new AddressSet(rule.of, networks);
  const only = rule.kind === 'only';
  const allowed = rule.of.slice(0, 20);
  return ({ from }) => {
    const { address, via, unread } = from;
    if (address === null) return finding('address.unknown', { unread, via });
    const by = set.find(address);
    if (only) return by === null ? finding('address.outside', { address, allowed, via }) : finding('address.within', { address, by, via });
    return by === null ? finding('address.not-excepted', { address, via }) : finding('address.excepted', { address, by, via });
  };
}

/** The gateway's own fence, before anything is looked for; null where there is none. */
export function compileFence({ mode, addresses }: FenceRule, networks: readonly NetworkRule[]): CompiledStep | null {
  const run = compileAddresses(addresses, networks);
  return run && { step: 'fence', about: null, mode, run, hangsOn: { kind: 'address', rule: addresses } };
}
