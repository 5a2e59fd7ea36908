import type { CompiledRelease, Exchange } from '@virga/core';

/** The nonce that an answer hands out (RFC 9449 section 9); null where the operation asks for none. */
export function nonceFor(release: CompiledRelease, exchange: Exchange): string | null {
  return exchange.operation?.token.dpopNonce ? release.ports.nonces.current(release.ports.now()) : null;
}
