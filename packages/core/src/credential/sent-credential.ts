import type { TokenPlace } from '../document/token-rule.js';
import type { Holder } from '../directory/facts.js';
import type { VerifiedToken } from '../token/verified-token.js';

/** How a token was sent. A DPoP-bound one must not come as Bearer (RFC 9449 section 7.2). */
export type TokenScheme = 'Bearer' | 'DPoP';

/** What a request can be proved with, one prover each. */
export const PROOF_KINDS = ['token', 'key', 'basic', 'certificate'] as const;
export type ProofKind = (typeof PROOF_KINDS)[number];

/** A credential that a request carries where its operation looks for one. Nothing is proved yet. */
export interface SentCredential {
  readonly kind: ProofKind;
  /** The security scheme whose place it stood in, for keys; the authentication scheme for tokens and Basic; empty for certificates. */
  readonly scheme: string;
  /** Null for certificates, which belong to the connection. */
  readonly place: TokenPlace | null;
  /** Where it stood, in words. */
  readonly words: string;
  /** The token, the key, the Base64 of Basic, or the certificate's thumbprint. */
  readonly text: string;
}

/** A credential that was proved. */
export type Credential =
  | { readonly kind: 'token'; readonly scheme: TokenScheme; readonly token: VerifiedToken; readonly holder: Holder | null }
  /** `scheme` is the security scheme. */
  | { readonly kind: 'key'; readonly scheme: string; readonly holder: Holder }
  | { readonly kind: 'basic' | 'certificate'; readonly holder: Holder };
