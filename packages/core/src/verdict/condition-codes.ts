import { comparison, failing, list, meeting, notAsked } from './code-entry.js';

const STANDARD = 'Common Expression Language, language definition, “Evaluation”';

/** Conditions over who calls, what is asked for and when. */
export const CONDITION_CODES = {
  'condition.met': meeting<{ name: string }>('condition', {
    example: { name: 'daylight' },
    sentence: (o) => `The condition ${o.name} holds.`,
    standard: STANDARD,
  }),
  'condition.not-met': failing<{ name: string; part: string; line: number; column: number; seen: readonly string[] }>('condition', 403, {
    title: 'Not permitted',
    example: {
      name: 'own section',
      part: 'request.parameters.section in principal.attributes.sections',
      line: 1,
      column: 1,
      seen: ['request.parameters.section: N2'],
    },
    sentence: (o) => `The condition ${o.name} does not hold: ${o.part} is false (line ${o.line}, column ${o.column}).`,
    compare: (o) => [comparison('condition', o.part, list(o.seen))],
    standard: STANDARD,
    remedy: 'If this caller is meant, change the condition; if not, nothing is wrong. The values beside it are those that it saw.',
  }),
  'condition.error': failing<{ name: string; says: string; line: number; column: number; seen: readonly string[] }>('condition', 403, {
    title: 'Not permitted',
    example: { name: 'own section', says: 'field not found: sections', line: 1, column: 32, seen: [] },
    sentence: (o) => `The condition ${o.name} came to no answer: ${o.says} (line ${o.line}, column ${o.column}). What cannot be answered is refused.`,
    compare: (o) => [comparison('condition', 'an answer', list(o.seen))],
    standard: STANDARD,
    remedy: 'Ask with has() whether a member is there before it is read, or see to it that the caller’s token or request carries it.',
  }),
  'condition.unread': failing<{ name: string; says: string }>('condition', 400, {
    title: 'The body cannot be read',
    example: { name: 'half open', says: 'the body is not JSON that every reader takes alike: a member twice' },
    sentence: (o) => `The condition ${o.name} looks at the body, and ${o.says}. What cannot be read is refused.`,
    standard: 'RFC 9110 section 15.5.1',
    remedy: 'Send JSON or a form, in UTF-8, with its content type, each member once, within the bytes that are read.',
  }),
  'condition.not-known': notAsked<{ name: string; facts: readonly string[] }>('condition', {
    example: { name: 'daylight', facts: ['the hour'] },
    sentence: (o) => `Whether the condition ${o.name} holds hangs on ${list(o.facts)}.`,
    standard: STANDARD,
  }),
} as const;
