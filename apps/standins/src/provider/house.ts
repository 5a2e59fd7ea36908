/** A made-up person who can sign in at a stand-in provider. */
export interface Person {
  readonly name: string;
  readonly password: string;
  readonly roles: readonly string[];
  readonly sections: readonly string[];
}

/** A program that asks for tokens. Without `scopes` it may ask for any. */
export interface Program {
  readonly id: string;
  readonly name: string;
  readonly secret: string | null;
  readonly grants: readonly string[];
  readonly scopes: readonly string[] | null;
  /** Claims of its own tokens, where no person is involved. */
  readonly claims?: Readonly<Record<string, unknown>>;
}

/** One stand-in provider: who is known there and what its tokens look like. */
export interface House {
  readonly name: string;
  readonly people: readonly Person[];
  readonly programs: readonly Program[];
  /** Scopes of each API. */
  readonly resources: Readonly<Record<string, readonly string[]>>;
  readonly algorithm: 'RS256' | 'ES256';
  readonly keyPrefix: string;
  readonly accessTokens: 'jwt' | 'opaque';
  readonly acr: string;
  /** Claims of a person's tokens. */
  readonly claimsOf: (person: Person) => Readonly<Record<string, unknown>>;
  /** Turns the members of a JWT access token into this provider's own spelling. */
  readonly spell: (claims: Record<string, unknown>) => Record<string, unknown>;
}

/** The API whose scopes were asked for, when the request names none. */
export function resourceFor(house: House, scopes: readonly string[]): string | undefined {
  return Object.keys(house.resources).find((resource) => house.resources[resource]?.some((scope) => scopes.includes(scope)));
}
