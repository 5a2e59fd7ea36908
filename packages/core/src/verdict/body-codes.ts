import { comparison, failing, list, meeting, notAsked } from './code-entry.js';

type Lane = { set: readonly string[]; added: readonly string[]; removed: readonly string[] };
const lane = (o: Lane): string =>
  [
    ...(o.set.length > 0 ? [`set ${list(o.set)}`] : []),
    ...(o.added.length > 0 ? [`added ${list(o.added)}`] : []),
    ...(o.removed.length > 0 ? [`removed ${list(o.removed)}`] : []),
  ].join(', ') || 'nothing to change';

/** Bodies in both directions, and the header lanes. */
export const BODY_CODES = {
  'type.no-body': notAsked<Record<never, never>>('type', { sentence: () => 'The request has no body.' }),
  'type.accepted': meeting<{ found: string }>('type', {
    example: { found: 'application/json' },
    sentence: (o) => `The body is ${o.found}, which is taken.`,
    standard: 'RFC 9110 section 8.3',
  }),
  'type.not-accepted': failing<{ found: string; accepted: readonly string[] }>('type', 415, {
    title: 'The content type of the body is not taken',
    example: { found: 'text/plain', accepted: ['application/json'] },
    sentence: (o) => `The body is said to be ${o.found}; this operation takes ${list(o.accepted)}.`,
    compare: (o) => [comparison('Content-Type', list(o.accepted), o.found)],
    standard: 'RFC 9110 section 15.5.16',
    remedy: 'Let the client send the body in a type that is taken and say so in Content-Type; or take this type too.',
  }),
  'type.missing': failing<{ accepted: readonly string[] }>('type', 415, {
    title: 'The body has no content type',
    example: { accepted: ['application/json'] },
    sentence: (o) => `The request has a body and no Content-Type; this operation takes ${list(o.accepted)}.`,
    compare: (o) => [comparison('Content-Type', list(o.accepted), null)],
    standard: 'RFC 9110 sections 8.3 and 15.5.16',
    remedy: 'Let the client say what its body is.',
  }),
  'size.no-body': notAsked<Record<never, never>>('size', { sentence: () => 'The request has no body.' }),
  'size.within': meeting<{ bytes: number | null; limit: number }>('size', {
    example: { bytes: 2048, limit: 1_048_576 },
    sentence: (o) => (o.bytes === null ? `Its length is not said; counted, up to ${o.limit} bytes.` : `${o.bytes} bytes, at most ${o.limit} are taken.`),
    compare: (o) => [comparison('bytes', `at most ${o.limit}`, o.bytes === null ? null : String(o.bytes))],
    standard: 'RFC 9110 section 8.6',
  }),
  'size.too-large': failing<{ bytes: number; limit: number }>('size', 413, {
    title: 'The body is too large',
    example: { bytes: 2_000_000, limit: 1_048_576 },
    sentence: (o) => `The body has at least ${o.bytes} bytes; at most ${o.limit} are taken.`,
    compare: (o) => [comparison('bytes', `at most ${o.limit}`, String(o.bytes))],
    standard: 'RFC 9110 section 15.5.14',
    remedy: 'Send less at a time, or raise the bound of the operation if such bodies are meant.',
  }),
  'answer.within': meeting<{ bytes: number | null; limit: number }>('answer', {
    example: { bytes: 2048, limit: 1_048_576 },
    sentence: (o) =>
      o.bytes === null ? `The length of the answer is not said; counted, up to ${o.limit} bytes.` : `The answer has ${o.bytes} bytes, at most ${o.limit} pass.`,
    standard: 'RFC 9110 section 8.6',
  }),
  'answer.too-large': failing<{ bytes: number; limit: number }>('answer', 502, {
    title: 'The service behind the gateway answered badly',
    example: { bytes: 20_000_000, limit: 1_048_576 },
    sentence: (o) => `The answer has at least ${o.bytes} bytes; at most ${o.limit} pass. What had gone out already was cut off.`,
    compare: (o) => [comparison('bytes', `at most ${o.limit}`, String(o.bytes))],
    standard: 'RFC 9110 section 15.6.3',
    remedy: 'Look at what the upstream sends: an export without pages, or data that should not leave. Raise the bound if such answers are meant.',
  }),
  'lane.up': meeting<Lane>('lane-up', {
    example: { set: ['x-caller'], added: [], removed: ['x-debug'] },
    sentence: (o) => `Header fields on the way up: ${lane(o)}.`,
    standard: 'RFC 9110 section 7.7',
  }),
  'lane.back': meeting<Lane>('lane-back', {
    example: { set: [], added: ['x-note'], removed: ['server'] },
    sentence: (o) => `Header fields on the way back: ${lane(o)}.`,
    standard: 'RFC 9110 section 7.7',
  }),
} as const;
