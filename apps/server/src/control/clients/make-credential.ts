import { faultOfBroughtKey, keyForm, writeKey } from '@virga/core';
import type { CredentialInput } from '@virga/protocol';
import { createHash, randomBytes, X509Certificate } from 'node:crypto';
import { fieldProblem } from '../../http/problems.js';

/** Characters of a key that are kept to recognise it by; the rest cannot be guessed from them. */
const HINT = { made: 10, brought: 4 } as const;

export const sha256 = (value: string | Buffer): string => createHash('sha256').update(value).digest('base64url');

/** What a new credential is found by, and its secret, which nobody keeps. */
export interface Made {
  readonly lookup: string;
  readonly digest: string | null;
  readonly hint: string;
  readonly secret: string | null;
  readonly expiresAt: number | null;
}

/** A key by chance, shown once. */
export function makeKey(expiresAt: number | null): Made & { readonly secret: string } {
  const secret = writeKey(randomBytes(64));
  if (keyForm(secret) !== 'key') throw new Error('invariant: a key that was made has the form of one');
  return { lookup: sha256(secret), digest: null, hint: secret.slice(0, HINT.made), secret, expiresAt };
}

/** A Basic secret by chance, of a name, shown once. */
export function makeSecret(name: string, expiresAt: number | null): Made & { readonly secret: string } {
  const secret = randomBytes(24).toString('base64url');
  return { lookup: name, digest: sha256(secret), hint: name, secret, expiresAt };
}

/** A key that was made elsewhere; what is wrong with it is told. */
export function bringKey(key: string, expiresAt: number | null): Made | { readonly fault: string } {
  const fault = faultOfBroughtKey(key);
  if (fault !== null) return { fault };
  return { lookup: sha256(key), digest: null, hint: key.slice(0, keyForm(key) === 'key' ? HINT.made : HINT.brought), secret: null, expiresAt };
}

/** Makes what a credential consists of; its secret is in what this returns only. @throws HttpException 422 with the field */
export function makeCredential(input: CredentialInput, providerClientOf: (input: CredentialInput) => string): Made {
  const { kind, name } = input;
  const expiresAt = input.expiresAt ?? null;
  if (expiresAt !== null && expiresAt <= Date.now()) throw fieldProblem('/expiresAt', 'That time is over');
  switch (kind) {
    case 'key': {
      if (input.key === undefined) return makeKey(expiresAt);
      const brought = bringKey(input.key, expiresAt);
      if ('fault' in brought) throw fieldProblem('/key', brought.fault);
      return brought;
    }
    case 'basic': {
      if (name.includes(':')) throw fieldProblem('/name', 'A name has no colon: the colon stands between name and secret (RFC 7617 section 2)');
      return makeSecret(name, expiresAt);
    }
    case 'certificate':
      return certificateOf(input.certificate ?? '', expiresAt);
    case 'provider-client':
      if (expiresAt !== null) throw fieldProblem('/expiresAt', 'A client of a provider has no end of its own; its tokens have');
      return { lookup: providerClientOf(input), digest: null, hint: input.providerClient ?? '', secret: null, expiresAt: null };
  }
}

/** A certificate by its thumbprint (RFC 8705 section 3.1). It ends with its own validity, or sooner. */
function certificateOf(pem: string, expiresAt: number | null): Made {
  let certificate: X509Certificate;
  try {
    certificate = new X509Certificate(pem);
  } catch {
    throw fieldProblem('/certificate', 'Paste one certificate in PEM form, from “-----BEGIN CERTIFICATE-----” to its end');
  }
  const ends = Date.parse(certificate.validTo);
  if (!(ends > Date.now())) throw fieldProblem('/certificate', `The certificate was valid until ${certificate.validTo}`);
  const thumbprint = sha256(certificate.raw);
  return { lookup: thumbprint, digest: null, hint: thumbprint, secret: null, expiresAt: expiresAt === null ? ends : Math.min(expiresAt, ends) };
}
