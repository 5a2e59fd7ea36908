import type { ClientFact } from '../directory/facts.js';
import type { Principal } from '../token/principal.js';
import type { JsonObject } from '../token/read-token.js';
import type { Credential } from './sent-credential.js';

/** Who is calling, by all credentials that were proved together. */
export interface Caller {
  /** The client: its id in the directory where it is known there, else what its provider calls it. */
  readonly client: string | null;
  readonly clientName: string | null;
  /** What its operator says of a client that is known here; null for any other. */
  readonly metadata: JsonObject | null;
  /** What the token of the caller says; null without one. */
  readonly principal: Principal | null;
  /** The provider of the token and what it says; null without a token. */
  readonly providerId: string | null;
  readonly issuer: string | null;
  readonly subject: string | null;
  readonly roles: readonly string[];
  readonly scopes: readonly string[];
  readonly attributes: Readonly<Record<string, readonly string[]>>;
  /** Who counts as holding a connection of an upstream; null where no client is known. */
  readonly holds: string | null;
  /** The kinds of proof. */
  readonly by: readonly Credential['kind'][];
}

const NO_ATTRIBUTES = Object.freeze({});
const NO_ROLES: readonly string[] = Object.freeze([]);

/** Roles that the directory says and those that a token says, each once. Most callers have none of the one or of the other. */
const rolesOf = (own: readonly string[], said: readonly string[]): readonly string[] => (own.length === 0 ? said : [...new Set([...own, ...said])]);

/** The clients of the directory that credentials belong to, each once. Callers are one client or nobody. */
export function clientsOf(credentials: readonly Credential[]): readonly ClientFact[] {
  const clients: ClientFact[] = [];
  for (const { holder } of credentials) if (holder && !clients.some((client) => client.id === holder.client.id)) clients.push(holder.client);
  return clients;
}

/** Composes the caller from credentials of one client; null when nothing was proved. */
export function composeCaller(credentials: readonly Credential[]): Caller | null {
  if (credentials.length === 0) return null;
  const client = clientsOf(credentials)[0] ?? null;
  const token = credentials.find((credential) => credential.kind === 'token');
  const principal = token?.token.principal ?? null;
  const id = client?.id ?? principal?.client ?? null;
  return {
    client: id,
    principal,
    clientName: client?.name ?? null,
    metadata: client?.metadata ?? null,
    holds: client?.name ?? (id === null ? null : `${id} of ${principal?.providerId ?? 'nobody'}`),
    providerId: principal?.providerId ?? null,
    issuer: principal?.issuer ?? null,
    subject: principal?.subject ?? null,
    roles: rolesOf(client?.roles ?? NO_ROLES, principal?.roles ?? NO_ROLES),
    scopes: principal?.scopes ?? [],
    attributes: principal?.attributes ?? NO_ATTRIBUTES,
    by: credentials.map(({ kind }) => kind),
  };
}
