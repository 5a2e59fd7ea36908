import type { LimitSubject } from '../document/limit-rule.js';
import type { JsonObject } from '../token/read-token.js';
import { ownMember } from '../util/own-member.js';
import { isSecretName } from '../util/secret-names.js';
import { subjectOf, type CountedRequest } from './subject-of.js';

/** What was kept of a request of a client, as far as requests are counted by it. */
export interface RecalledRequest {
  readonly apiId: string | null;
  readonly operationId: string | null;
  /** Null where it was not known. */
  readonly address: string | null;
  readonly providerId: string | null;
  readonly issuer: string | null;
  readonly subject: string | null;
  /** Own members of the claim map; null without a token. */
  readonly attributes: Readonly<Record<string, readonly string[]>> | null;
  /** Header fields, names in lower case, credentials taken out. */
  readonly headers: readonly (readonly [string, string])[];
}

/** What is known of a client while no request of it is at hand. */
export interface KnownClient {
  readonly id: string;
  readonly metadata: JsonObject;
  /** Its credentials but for tokens. */
  readonly credentials: readonly { readonly kind: 'key' | 'basic' | 'certificate'; readonly id: string; readonly name: string }[];
  /** Requests of it that are remembered, the newest first. */
  readonly recalled: readonly RecalledRequest[];
}

/** Whose requests a limit counts together, for one that a client's requests are among. */
export interface ClientSubject {
  readonly subject: string;
  /** In words; empty where it goes without saying. */
  readonly whose: string;
}

/** So many of each limit are told. */
export const MOST_SUBJECTS = 5;
/** Characters of the words for one: callers write header fields as long as they like. */
const MOST_SAID = 80;
/** What was taken out of a trace is named between these; a value is cut where it is longer, and of lists and members the rest is left out. */
const TAKEN_OUT = '<';
const CUT = { header: 1000, value: 200, values: 50, members: 20 } as const;

/**
 * Among whose requests those of a client are counted, by what is known of it and by those of its requests that are remembered; empty
 * where that hangs on requests of which none is remembered whole. The same code as for requests that come says it.
 */
export function subjectsOfClient(by: LimitSubject, known: KnownClient): readonly ClientSubject[] {
  const found = new Map<string, ClientSubject>();
  const add = (request: CountedRequest, whose: string): void => {
    const subject = subjectOf(by, request);
    if (found.size >= MOST_SUBJECTS || found.has(subject)) return;
    found.set(subject, { subject, whose: whose.length > MOST_SAID ? `${whose.slice(0, MOST_SAID)}…` : whose });
  };
  const own = (about: Partial<CountedRequest> = {}, caller: Partial<CountedRequest['caller']> = {}): CountedRequest => ({
    from: { address: null },
    caller: { client: known.id, metadata: known.metadata, subject: null, issuer: null, providerId: null, attributes: {}, ...caller },
    credentials: [],
    tokenDigest: '',
    header: () => undefined,
    ...about,
  });
  switch (by.kind) {
    case 'everyone':
      add(own(), 'all callers together');
      break;
    case 'client':
      add(own(), '');
      break;
    case 'metadata': {
      const value = ownMember(known.metadata, by.name);
      add(own(), value === undefined || value === null ? `all without ${by.name}` : `all of ${by.name} ${JSON.stringify(value)}`);
      break;
    }
    case 'credential':
      for (const { kind, id, name } of known.credentials) add(own({ credentials: [{ kind, holder: { credential: { id } } }] }), name);
      break;
    case 'principal':
      for (const { subject, issuer, providerId } of known.recalled)
        if (subject === null) add(own(), 'without a user');
        else if (isWhole(subject)) add(own({}, { subject, issuer, providerId }), subject);
      break;
    case 'address':
      for (const { address } of known.recalled) add(own({ from: { address } }), address ?? 'an address that is not known');
      break;
    case 'header':
      for (const { headers } of known.recalled) {
        const value = headers.flatMap(([name, text]) => (name === by.name ? [text] : [])).join(', ');
        if (value.length < CUT.header && !value.includes(TAKEN_OUT))
          add(own({ header: () => value }), value === '' ? `all without ${by.name}` : `${by.name} ${value}`);
      }
      break;
    case 'attribute':
      for (const { attributes } of known.recalled) {
        const values = (attributes && ownMember(attributes, by.name)) ?? [];
        const all = attributes === null || (!isSecretName(by.name) && Object.keys(attributes).length < CUT.members);
        if (all && values.length < CUT.values && values.every(isWhole))
          add(own({}, { attributes: attributes ?? {} }), values.length === 0 ? `all without ${by.name}` : `${by.name} ${values.join(', ')}`);
      }
      break;
  }
  return [...found.values()];
}

const isWhole = (value: string): boolean => value.length < CUT.value && !value.includes(TAKEN_OUT);
