import { isRecord, REVOCATION_KINDS, Revocations, type Revocation, type SecretSource } from '@virga/core';

/** Values of secrets by name, and the revocations in force. */
export interface Facts {
  readonly secrets: Readonly<Record<string, string>>;
  readonly revocations: readonly Revocation[];
}

/** What decisions ask about secrets and revocations, as it was last heard. */
export class KnownFacts implements SecretSource {
  #secrets = new Map<string, string>();
  #revocations = new Revocations();

  get revocations(): Revocations {
    return this.#revocations;
  }

  value(name: string): string | null {
    return this.#secrets.get(name) ?? null;
  }

  set({ secrets, revocations }: Facts): void {
    this.#secrets = new Map(Object.entries(secrets));
    this.#revocations = new Revocations(revocations);
  }
}

/** Whether a value has the form of facts: what has not must not count as nothing revoked. */
export function isFacts(value: unknown): value is Facts {
  if (!isRecord(value) || !isRecord(value['secrets']) || !Array.isArray(value['revocations'])) return false;
  return Object.values(value['secrets']).every((secret) => typeof secret === 'string') && value['revocations'].every(isRevocation);
}

/** One of a kind that nobody here knows is none: it would revoke nothing. */
const isRevocation = (entry: unknown): boolean =>
  isRecord(entry) &&
  (REVOCATION_KINDS as readonly unknown[]).includes(entry['kind']) &&
  typeof entry['value'] === 'string' &&
  typeof entry['providerId'] === 'string';
