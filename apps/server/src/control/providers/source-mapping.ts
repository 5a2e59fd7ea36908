import { readKeySet, readTypedJson, type OpaqueTokens, type ProviderSource, type PublishedKey } from '@virga/core';
import type { ProviderSourceDto, ProviderSourceView } from '@virga/protocol';
import { createPublicKey } from 'node:crypto';
import { fieldProblem } from '../../http/problems.js';
import type { SecretsService } from '../../secret/secrets.service.js';

const TIMES = { positiveSeconds: 60, negativeSeconds: 10, timeoutMs: 2000 };

/**
 * Where trust comes from, out of what was sent. Keys and secrets that are left out stay as they were.
 * @throws problem with the pointer of the member that cannot be used
 */
export async function sourceFrom(dto: ProviderSourceDto, before: ProviderSource | null, id: string, secrets: SecretsService): Promise<ProviderSource> {
  switch (dto.kind) {
    case 'discovery':
      return { kind: 'discovery' };
    case 'key-set-url':
      return { kind: 'key-set-url', url: dto.url ?? fail('/source/url', 'Give the address of the key set') };
    case 'keys': {
      if (dto.keys === undefined && before?.kind === 'keys') return before;
      return { kind: 'keys', keys: await keysFrom(dto.keys ?? '') };
    }
    case 'secret': {
      if (!dto.secret && before?.kind === 'secret') return before;
      if (Buffer.byteLength(dto.secret ?? '') < 32) fail('/source/secret', 'A secret for HS256 has at least 32 bytes (RFC 7518 section 3.2)');
      return { kind: 'secret', secret: await secrets.keep(dto.secret ?? '', `provider-${id}`) };
    }
    case 'introspection': {
      const earlier = before?.kind === 'introspection' ? before.credential.secret : null;
      const method = dto.method ?? 'client_secret_basic';
      if (method === 'private_key_jwt' && dto.secret) checkPrivateKey(dto.secret);
      const secret = dto.secret
        ? await secrets.keep(dto.secret, `provider-${id}`)
        : (earlier ?? fail('/source/secret', 'The gateway needs a secret or key at the endpoint'));
      const clientId = dto.clientId || fail('/source/clientId', 'The gateway needs a client id at the endpoint');
      return { kind: 'introspection', credential: { method, clientId, secret }, ...opaqueFrom(dto) };
    }
    case 'userinfo':
      return { kind: 'userinfo', ...opaqueFrom(dto) };
  }
}

function opaqueFrom(dto: ProviderSourceDto): OpaqueTokens {
  return {
    endpoint: dto.endpoint ?? fail('/source/endpoint', 'Give the address of the endpoint'),
    positiveSeconds: dto.positiveSeconds ?? TIMES.positiveSeconds,
    negativeSeconds: dto.negativeSeconds ?? TIMES.negativeSeconds,
    timeoutMs: dto.timeoutMs ?? TIMES.timeoutMs,
    impliedAudience: dto.impliedAudience || null,
  };
}

export function sourceView(source: ProviderSource): ProviderSourceView {
  const opaque = source.kind === 'introspection' || source.kind === 'userinfo' ? source : null;
  const credential = source.kind === 'introspection' ? source.credential : null;
  return {
    kind: source.kind,
    url: source.kind === 'key-set-url' ? source.url : null,
    keyCount: source.kind === 'keys' ? source.keys.length : 0,
    secretSet: source.kind === 'secret' || credential !== null,
    endpoint: opaque?.endpoint ?? null,
    method: credential?.method ?? null,
    clientId: credential?.clientId ?? null,
    positiveSeconds: opaque?.positiveSeconds ?? null,
    negativeSeconds: opaque?.negativeSeconds ?? null,
    timeoutMs: opaque?.timeoutMs ?? null,
    impliedAudience: opaque?.impliedAudience ?? null,
  };
}

/** Public keys out of a JWK, a JWK Set, or PEM of public keys and certificates. @throws problem when none can be used */
export async function keysFrom(text: string): Promise<readonly PublishedKey[]> {
  const found = text.trim().startsWith('{') ? fromJson(text) : fromPem(text);
  const read = await readKeySet({ keys: found });
  const reason = read?.refused.map((key) => `key ${key.index + 1}: ${key.reason}`).join('; ');
  if (!read || read.keys.length === 0)
    return fail('/source/keys', reason ? `No key can be used: ${reason}` : 'Paste a JWK, a JWK Set, a PEM public key or a PEM certificate');
  if (read.refused.length > 0) return fail('/source/keys', `Take out what cannot be used: ${reason ?? ''}`);
  return found;
}

function fromJson(text: string): PublishedKey[] {
  const read = readTypedJson(text);
  // Members of a JWK stand once (RFC 7517 section 4).
  if (read.kind === 'fault') return fail('/source/keys', `This cannot be read: ${read.says}`);
  const value = read.value as PublishedKey & { keys?: unknown };
  return Array.isArray(value.keys) ? (value.keys as PublishedKey[]) : [value];
}

function fromPem(text: string): PublishedKey[] {
  const blocks = text.match(/-----BEGIN ([A-Z0-9 ]+)-----[\s\S]+?-----END \1-----/g) ?? [];
  return blocks.map((block) => {
    if (block.includes('PRIVATE KEY')) return fail('/source/keys', 'This is a private key. Paste the public one, and treat the private one as leaked');
    try {
      return { ...createPublicKey(block).export({ format: 'jwk' }) };
    } catch (error) {
      return fail('/source/keys', `A PEM block cannot be read: ${(error as Error).message}`);
    }
  });
}

function checkPrivateKey(text: string): void {
  const read = readTypedJson(text);
  const jwk = (read.kind === 'value' ? read.value : null) as { d?: unknown; kty?: unknown } | null;
  if (typeof jwk?.d === 'string' && typeof jwk.kty === 'string') return;
  fail('/source/secret', 'private_key_jwt needs a private key as a JWK (with the member d)');
}

const fail = (pointer: string, detail: string): never => {
  throw fieldProblem(pointer, detail);
};
