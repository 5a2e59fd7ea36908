import { readIp } from '../address/ip.js';
import type { Caller } from '../credential/caller.js';
import type { LimitSubject } from '../document/limit-rule.js';
import { ownMember } from '../util/own-member.js';

/** What of a request says by whom it is counted. */
export interface CountedRequest {
  readonly from: { readonly address: string | null };
  readonly caller: Pick<Caller, 'subject' | 'issuer' | 'client' | 'providerId' | 'metadata' | 'attributes'> | null;
  readonly credentials: readonly (
    { readonly kind: 'token' } | { readonly kind: 'key' | 'basic' | 'certificate'; readonly holder: { readonly credential: { readonly id: string } } }
  )[];
  readonly tokenDigest: string;
  header(name: string): string | undefined;
}

/** What has none of what is counted by is counted together. No value is written so. */
const NONE = '\u0000none';
/** Characters of a value that are told apart; what is longer is told apart by its beginning and its length. */
const MOST = 200;

/** Whose request it is, for the purpose of counting. */
export function subjectOf(by: LimitSubject, request: CountedRequest): string {
  const { caller } = request;
  switch (by.kind) {
    case 'everyone':
      return '';
    case 'client':
      return clientSubject(request);
    case 'principal':
      return caller?.subject === null || caller === null ? clientSubject(request) : `s ${caller.issuer ?? ''} ${caller.subject}`;
    case 'address':
      return addressSubject(request.from.address);
    case 'credential': {
      const [first] = request.credentials;
      if (first === undefined) return NONE;
      return first.kind === 'token' ? `t ${request.tokenDigest}` : `k ${first.holder.credential.id}`;
    }
    case 'header': {
      const value = request.header(by.name);
      return value === undefined || value === '' ? NONE : bounded(`v ${value}`);
    }
    case 'metadata': {
      const value = caller?.metadata ? ownMember(caller.metadata, by.name) : undefined;
      return value === undefined || value === null ? NONE : bounded(`m ${JSON.stringify(value)}`);
    }
    case 'attribute': {
      const values = (caller && ownMember(caller.attributes, by.name)) ?? [];
      return values.length === 0 ? NONE : bounded(`a ${JSON.stringify(values)}`);
    }
  }
}

/** A client of the directory by its id, another by its provider and what that calls it. */
export function clientSubject({ caller }: Pick<CountedRequest, 'caller'>): string {
  if (caller === null || caller.client === null) return caller?.subject ? `s ${caller.issuer ?? ''} ${caller.subject}` : NONE;
  return caller.metadata === null ? `p ${caller.providerId ?? ''} ${caller.client}` : `c ${caller.client}`;
}

const bounded = (text: string): string => (text.length <= MOST ? text : `${text.slice(0, MOST)} ${text.length}`);

/** Of IPv6 the first 64 bits count: whoever has one address there has all of them (RFC 4291 section 2.5.4). */
function addressSubject(address: string | null): string {
  if (address === null) return NONE;
  if (!address.includes(':')) return address;
  const read = readIp(address);
  return read === null ? address : `${(read.value >> 64n).toString(16)}::/64`;
}
