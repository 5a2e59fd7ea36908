import { failing, list, meeting, notAsked, type CodeEntry } from './code-entry.js';

/** What was found: kinds and places, never a value. */
type Found = {
  /** Names of detectors. */
  kinds: readonly string[];
  /** The first few places: names of parameters and header fields, JSON Pointers into bodies with `*` for every item of a list. */
  places: readonly string[];
  count: number;
};

const EXAMPLE: Found = { kinds: ['E-mail address'], places: ['/rows/*/contact'], count: 2 };
const said = (o: Found): string => `${list(o.kinds)}, ${o.count === 1 ? 'once' : `${o.count} times`}, at ${list(o.places)}`;

const unread = (step: 'sensitive-body' | 'sensitive-answer', status: number, title: string, remedy: string): CodeEntry<{ reason: string }> =>
  failing<{ reason: string }>(step, status, {
    title,
    example: { reason: 'it is no JSON, though it says so' },
    sentence: (o) => `What may not pass could not be looked for: ${o.reason}.`,
    standard: 'common practice: what cannot be looked into is not let through',
    remedy,
  });

const unchecked = (step: 'sensitive-body' | 'sensitive-answer'): CodeEntry<{ reason: string }> =>
  notAsked<{ reason: string }>(step, {
    example: { reason: 'image/png is no text' },
    sentence: (o) => `It was not looked through for sensitive data: ${o.reason}.`,
  });

const REQUEST_TITLE = 'The request holds data that is not taken here';
const UPSTREAM_TITLE = 'The service behind the gateway answered badly';
const MEND_CALLER = 'Let the client leave it out; or, where it has to be sent, let the API look for it without refusing.';

type OfAnswer = 'sensitive-fields' | 'sensitive-answer';

const masked = (step: OfAnswer): CodeEntry<Found> =>
  meeting<Found>(step, { example: EXAMPLE, sentence: (o) => `Masked before it left: ${said(o)}.`, standard: 'RFC 9110 section 7.7' });

const leaves = (step: OfAnswer, begins: string, example: Found): CodeEntry<Found> =>
  failing<Found>(step, 502, {
    title: UPSTREAM_TITLE,
    example,
    sentence: (o) => `${begins}: ${said(o)}. Nothing of it has left.`,
    standard: 'RFC 9110 section 15.6.3',
    remedy: 'Mend the service; or, where callers have to have it, mask it or let it pass.',
  });

const onlyObserved = (step: OfAnswer): CodeEntry<Found> =>
  notAsked<Found>(step, { example: EXAMPLE, sentence: (o) => `Would be masked, were the API not only observed: ${said(o)}.` });

/** Sensitive data on its way in and out. */
export const SENSITIVE_CODES = {
  'sensitive.none': meeting<Record<never, never>>('sensitive', {
    sentence: () => 'Query and header fields hold nothing that may not be sent.',
    standard: 'RFC 9110 section 17.9',
  }),
  'sensitive.supposed': notAsked<Record<never, never>>('sensitive', {
    sentence: () => 'The request is supposed to hold nothing that may not be sent.',
  }),
  'sensitive.found': failing<Found>('sensitive', 400, {
    title: REQUEST_TITLE,
    example: { ...EXAMPLE, places: ['contact'] },
    sentence: (o) => `The request holds what may not be sent: ${said(o)}.`,
    standard: 'RFC 9110 section 17.9',
    remedy: MEND_CALLER,
  }),
  'sensitive-body.none': meeting<Record<never, never>>('sensitive-body', {
    sentence: () => 'The body holds nothing that may not be sent.',
    standard: 'RFC 9110 section 17.9',
  }),
  'sensitive-body.found': failing<Found>('sensitive-body', 400, {
    title: REQUEST_TITLE,
    example: EXAMPLE,
    sentence: (o) => `The body holds what may not be sent: ${said(o)}.`,
    standard: 'RFC 9110 section 17.9',
    remedy: MEND_CALLER,
  }),
  'sensitive-body.unread': unread(
    'sensitive-body',
    400,
    REQUEST_TITLE,
    'Let the client send a body that can be read; or raise the bound, or let larger ones pass.',
  ),
  'sensitive-body.unchecked': unchecked('sensitive-body'),
  'sensitive-fields.none': meeting<Record<never, never>>('sensitive-fields', {
    sentence: () => 'The header fields of the answer hold nothing that may not leave.',
    standard: 'RFC 9110 section 17.9',
  }),
  'sensitive-fields.masked': masked('sensitive-fields'),
  'sensitive-fields.found': leaves('sensitive-fields', 'The header fields of the answer hold what may not leave', { ...EXAMPLE, places: ['x-contact'] }),
  'sensitive-fields.only-observed': onlyObserved('sensitive-fields'),
  'sensitive-answer.none': meeting<Record<never, never>>('sensitive-answer', {
    sentence: () => 'The answer holds nothing that may not leave.',
    standard: 'RFC 9110 section 17.9',
  }),
  'sensitive-answer.masked': masked('sensitive-answer'),
  'sensitive-answer.found': leaves('sensitive-answer', 'The answer holds what may not leave', EXAMPLE),
  'sensitive-answer.unread': unread(
    'sensitive-answer',
    502,
    UPSTREAM_TITLE,
    'Let the service answer with a body that can be read and is not a stream or a part; or raise the bound, or let larger ones pass. Nothing of the answer has left.',
  ),
  'sensitive-answer.unchecked': unchecked('sensitive-answer'),
  'sensitive-answer.only-observed': onlyObserved('sensitive-answer'),
} as const;
