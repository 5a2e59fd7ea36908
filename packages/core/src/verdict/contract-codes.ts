import { comparison, failing, meeting, notAsked, type CodeEntry } from './code-entry.js';
import type { ContractPart } from '../document/contract-rule.js';

/** The first thing that the contract does not allow, and how many more there are. No values: kinds and sizes alone. */
type Differs = {
  /** Parameter, header field or status; empty for a body. */
  name: string;
  /** JSON Pointer into the value. */
  at: string;
  /** JSON Pointer into the contract. */
  rule: string;
  keyword: string;
  wanted: string;
  found: string;
  /** The member of an object that is missing or too much. */
  member: string | null;
  /** How many more there are. */
  more: number;
  /** Places of the first few, each a name and a pointer. */
  places: readonly string[];
};

const PART_WORDS: Readonly<Record<ContractPart, string>> = {
  'contract-path': 'the path',
  'contract-query': 'the query',
  'contract-header': 'the header fields',
  'contract-cookie': 'the cookies',
  'contract-security': 'the credential',
  'contract-type': 'the content type',
  'contract-body': 'the body',
  'contract-status': 'the status of the answer',
  'contract-fields': 'the header fields of the answer',
  'contract-answer': 'the body of the answer',
};

/** What an answer's or a request's part is held against. */
export const partWords = (part: ContractPart): string => PART_WORDS[part];

/** Where something stands, in words. */
export const placeOfDeviation = ({ name, at }: { readonly name: string; readonly at: string }): string => [name, at].filter(Boolean).join(' ') || 'the whole';

function differs(part: ContractPart, status: number, title: string, standard: string, remedy: string): CodeEntry<Differs> {
  return failing<Differs>(part, status, {
    title,
    example: {
      name: '',
      at: '/opening',
      rule: '/components/schemas/Position/properties/opening/maximum',
      keyword: 'maximum',
      wanted: 'at most 100',
      found: 'a whole number',
      member: null,
      more: 0,
      places: ['/opening'],
    },
    sentence: (o) =>
      `In ${PART_WORDS[part]}, ${placeOfDeviation(o)}: the contract wants ${o.wanted}, found was ${o.found}${o.more > 0 ? `; ${o.more} more places differ` : ''}.`,
    compare: (o) => [comparison(`${placeOfDeviation(o)} (${o.keyword})`, o.wanted, o.found)],
    standard,
    remedy,
  });
}

const meets = (part: ContractPart, standard: string): CodeEntry<Record<never, never>> =>
  meeting<Record<never, never>>(part, { sentence: () => `As far as the contract speaks of ${PART_WORDS[part]}, it is kept.`, standard });

const PARAMETERS = 'OpenAPI 3.1.2 section 4.8.12';
const BODIES = 'OpenAPI 3.1.2 sections 4.8.13 and 4.8.24';
const ANSWERS = 'OpenAPI 3.1.2 sections 4.8.16 and 4.8.17; RFC 9110 section 15.6.3';
const MEND_CLIENT = 'Mend the client; or, where what it sends is right, let the contract say so.';
const MEND_UPSTREAM = 'Mend the service; or, where what it answers is right, let the contract say so. Nothing of the answer has left.';
const UPSTREAM_TITLE = 'The service behind the gateway answered badly';

/** The contract: requests and answers against the API's description. */
export const CONTRACT_CODES = {
  'contract.found': meeting<{ pointer: string }>('contract', {
    example: { pointer: '/paths/~1gates/get' },
    sentence: (o) => `The contract describes this operation at ${o.pointer}.`,
    standard: 'OpenAPI 3.1.2 section 4.8.10',
  }),
  'contract.supposed': notAsked<Record<never, never>>('contract', {
    sentence: () => 'The request is supposed to keep to the contract.',
  }),
  'contract.not-described': failing<{ operation: string }>('contract', 404, {
    title: 'There is no such operation',
    example: { operation: 'GET /gates' },
    sentence: (o) => `The contract does not describe ${o.operation}, so nothing of it can be held against the contract.`,
    standard: 'OpenAPI 3.1.2 section 4.8.8',
    remedy: 'Describe the operation in the contract, or let this one operation be without its checks.',
  }),
  'contract.unavailable': failing<{ reason: string }>('contract', 503, {
    title: 'The service is not available',
    example: { reason: 'the text is not here' },
    sentence: (o) => `The contract could not be had (${o.reason}), so nothing can be held against it.`,
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'Look at whether the node reaches the control plane, and whether the contract can be read.',
  }),
  'contract-path.meets': meets('contract-path', PARAMETERS),
  'contract-path.differs': differs('contract-path', 400, 'The path is not as the contract of this API says', PARAMETERS, MEND_CLIENT),
  'contract-query.meets': meets('contract-query', PARAMETERS),
  'contract-query.differs': differs('contract-query', 400, 'The query is not as the contract of this API says', PARAMETERS, MEND_CLIENT),
  'contract-header.meets': meets('contract-header', PARAMETERS),
  'contract-header.differs': differs('contract-header', 400, 'The header fields are not as the contract of this API says', PARAMETERS, MEND_CLIENT),
  'contract-cookie.meets': meets('contract-cookie', PARAMETERS),
  'contract-cookie.differs': differs('contract-cookie', 400, 'The cookies are not as the contract of this API says', PARAMETERS, MEND_CLIENT),
  'contract-security.meets': meeting<{ schemes: readonly string[] }>('contract-security', {
    example: { schemes: ['trustSignIn'] },
    sentence: (o) =>
      o.schemes.length === 0 ? 'The contract asks for no credential.' : `A credential for ${o.schemes.join(' and ')} came, as the contract declares.`,
    standard: 'OpenAPI 3.1.2 section 4.8.30',
  }),
  'contract-security.differs': failing<{ wanted: readonly string[] }>('contract-security', 401, {
    title: 'This operation needs a credential',
    challenge: 'bare',
    example: { wanted: ['trustSignIn', 'fieldKey'] },
    sentence: (o) => `The contract declares ${o.wanted.join(' or ')}; nothing of that was sent.`,
    compare: (o) => [comparison('credential', o.wanted.join(' or '), null)],
    standard: 'OpenAPI 3.1.2 section 4.8.30',
    remedy: 'Let the client send what the contract declares; or let the contract say what the operation really takes.',
  }),
  'contract-type.meets': meets('contract-type', BODIES),
  'contract-type.differs': differs('contract-type', 415, 'The content type of the body is not taken', `${BODIES}; RFC 9110 section 15.5.16`, MEND_CLIENT),
  'contract-body.meets': meets('contract-body', BODIES),
  'contract-body.differs': differs('contract-body', 400, 'The body is not as the contract of this API says', BODIES, MEND_CLIENT),
  'contract-body.unchecked': notAsked<{ reason: string }>('contract-body', {
    example: { reason: 'it is larger than what is held' },
    sentence: (o) => `The body passed without being looked into: ${o.reason}.`,
  }),
  'contract-body.too-large': failing<{ limit: number }>('contract-body', 413, {
    title: 'The body is too large',
    example: { limit: 1_048_576 },
    sentence: (o) => `The body has more than the ${o.limit} bytes that are held to check it.`,
    compare: (o) => [comparison('bytes', `at most ${o.limit}`, null)],
    standard: 'RFC 9110 section 15.5.14',
    remedy: 'Send less at a time, raise what is held, or let larger bodies pass unchecked.',
  }),
  'contract-body.coded': failing<{ coding: string }>('contract-body', 415, {
    title: 'The coding of the body is not taken',
    example: { coding: 'compress' },
    sentence: (o) => `The body is coded as ${o.coding}, which cannot be read here.`,
    compare: (o) => [comparison('Content-Encoding', 'gzip, deflate, br or none', o.coding)],
    standard: 'RFC 9110 sections 8.4 and 15.5.16',
    remedy: 'Send the body as it is, or coded with gzip, deflate or br, once.',
  }),
  'contract-body.no-room': failing<{ limit: number }>('contract-body', 503, {
    title: 'The service is not available',
    example: { limit: 268_435_456 },
    sentence: (o) => `The node holds ${o.limit} bytes of bodies already and has no room for another.`,
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'Too many large bodies come at once. Hold less of each, or add a node.',
  }),
  'contract-status.meets': meets('contract-status', ANSWERS),
  'contract-status.differs': differs('contract-status', 502, UPSTREAM_TITLE, ANSWERS, MEND_UPSTREAM),
  'contract-fields.meets': meets('contract-fields', ANSWERS),
  'contract-fields.differs': differs('contract-fields', 502, UPSTREAM_TITLE, ANSWERS, MEND_UPSTREAM),
  'contract-answer.meets': meets('contract-answer', ANSWERS),
  'contract-answer.differs': differs('contract-answer', 502, UPSTREAM_TITLE, ANSWERS, MEND_UPSTREAM),
  'contract-answer.unchecked': notAsked<{ reason: string }>('contract-answer', {
    example: { reason: 'it is larger than what is held' },
    sentence: (o) => `The body of the answer passed without being looked into: ${o.reason}.`,
  }),
  'contract-answer.too-large': failing<{ limit: number }>('contract-answer', 502, {
    title: UPSTREAM_TITLE,
    example: { limit: 1_048_576 },
    sentence: (o) => `The body of the answer has more than the ${o.limit} bytes that are held to check it.`,
    compare: (o) => [comparison('bytes', `at most ${o.limit}`, null)],
    standard: 'RFC 9110 section 15.6.3',
    remedy: 'Let the service answer in pages, raise what is held, or let larger bodies pass unchecked.',
  }),
  'contract-answer.coded': failing<{ coding: string }>('contract-answer', 502, {
    title: UPSTREAM_TITLE,
    example: { coding: 'compress' },
    sentence: (o) => `The body of the answer is coded as ${o.coding}, which cannot be read here.`,
    compare: (o) => [comparison('Content-Encoding', 'gzip, deflate, br or none', o.coding)],
    standard: 'RFC 9110 sections 8.4 and 15.6.3',
    remedy: 'Let the service answer as it is asked to: without a coding.',
  }),
  'contract-answer.no-room': failing<{ limit: number }>('contract-answer', 503, {
    title: 'The service is not available',
    example: { limit: 268_435_456 },
    sentence: (o) => `The node holds ${o.limit} bytes of bodies already and has no room for another.`,
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'Too many large bodies come at once. Hold less of each, or add a node.',
  }),
} as const;
