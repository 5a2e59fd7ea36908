import { comparison, failing, meeting, notAsked } from './code-entry.js';

/** AuthZEN messages are from memory: the text is not among the project's references. */
const STANDARD = 'RFC 9110 section 15.5.4';
const FAIL_CLOSED = 'RFC 9110 section 15.6.1';

/** Authorizers of the operator's own: scripts, and decision services. */
export const AUTHORIZER_CODES = {
  'authorizer.allowed': meeting<{ name: string; reason: string; from: string }>('authorizer', {
    example: { name: 'own section', reason: '', from: 'asked' },
    sentence: (o) => `The authorizer ${o.name} allows it${o.from === 'kept' ? ', by an answer that was kept' : ''}${o.reason === '' ? '' : `: ${o.reason}`}.`,
  }),
  'authorizer.denied': failing<{ name: string; reason: string; told: boolean; from: string }>('authorizer', 403, {
    title: 'Not permitted',
    example: { name: 'own section', reason: 'the gate lies in another section', told: false, from: 'asked' },
    sentence: (o) =>
      `The authorizer ${o.name} denies it${o.from === 'kept' ? ', by an answer that was kept' : ''}${o.reason === '' ? ' and gives no reason' : `: ${o.reason}`}.`,
    compare: (o) => [
      comparison('reason', null, o.reason === '' ? 'none given' : `${o.reason} (${o.told ? 'the caller reads it' : 'the caller does not read it'})`),
    ],
    standard: STANDARD,
    remedy: 'If this caller is meant, change the authorizer, and add this request to its cases; if not, nothing is wrong.',
  }),
  'authorizer.sign-in': failing<{ name: string; reason: string; told: boolean; from: string }>('authorizer', 401, {
    title: 'Prove again who is calling',
    challenge: 'bare',
    example: { name: 'water right', reason: 'the session has ended', told: false, from: 'asked' },
    sentence: (o) => `The authorizer ${o.name} asks the caller to prove itself again${o.reason === '' ? '' : `: ${o.reason}`}.`,
    standard: 'RFC 9110 section 15.5.2',
    remedy: 'The caller gets a new credential and tries again.',
  }),
  'authorizer.time': failing<{ name: string; limitMs: number }>('authorizer', 500, {
    title: 'The request could not be decided',
    example: { name: 'own section', limitMs: 20 },
    sentence: (o) => `The authorizer ${o.name} came to no answer within ${o.limitMs} ms. What cannot be answered is refused.`,
    compare: (o) => [comparison('time', `at most ${o.limitMs} ms`, 'more')],
    standard: FAIL_CLOSED,
    remedy: 'Try it with this request as a case: it loops, or looks through too much. A higher limit keeps every caller waiting.',
  }),
  'authorizer.memory': failing<{ name: string; megabytes: number }>('authorizer', 500, {
    title: 'The request could not be decided',
    example: { name: 'own section', megabytes: 8 },
    sentence: (o) => `The authorizer ${o.name} wanted more than ${o.megabytes} MB of memory. What cannot be answered is refused.`,
    compare: (o) => [comparison('memory', `at most ${o.megabytes} MB`, 'more')],
    standard: FAIL_CLOSED,
    remedy: 'Try it with this request as a case, and see what grows with the request.',
  }),
  'authorizer.fault': failing<{ name: string; says: string; line: number; column: number }>('authorizer', 500, {
    title: 'The request could not be decided',
    example: { name: 'own section', says: 'sections is not iterable', line: 3, column: 41 },
    sentence: (o) =>
      `The authorizer ${o.name} failed: ${o.says}${o.line > 0 ? ` (line ${o.line}${o.column > 0 ? `, column ${o.column}` : ''})` : ''}. What cannot be answered is refused.`,
    standard: FAIL_CLOSED,
    remedy: 'A member that nobody vouches for is not there: ask for it with ?. and say what its missing means.',
  }),
  'authorizer.question': failing<{ name: string; says: string }>('authorizer', 403, {
    title: 'Not permitted',
    example: { name: 'water right', says: 'the resource: no such key: section' },
    sentence: (o) => `What the authorizer ${o.name} is to be asked came to no value: ${o.says}. What cannot be asked is refused.`,
    standard: 'OpenID AuthZEN Authorization API 1.0, Access Evaluation (from memory); RFC 9110 section 15.5.4',
    remedy: 'Ask with has() whether a member is there before it is read, or see to it that the caller’s token or request carries it.',
  }),
  'authorizer.unread': failing<{ name: string; says: string }>('authorizer', 400, {
    title: 'The request cannot be read',
    example: { name: 'half open', says: 'the body has no content type by which it could be read' },
    sentence: (o) => `The authorizer ${o.name} is shown the request, and ${o.says}. What cannot be read is refused.`,
    standard: 'RFC 9110 section 15.5.1',
    remedy: 'Send JSON or a form, in UTF-8, with its content type, each member once, within the bytes that are read; and escape what has a meaning in a query.',
  }),
  'authorizer.answer': failing<{ name: string; says: string }>('authorizer', 500, {
    title: 'The request could not be decided',
    example: { name: 'own section', says: 'allow is true or false' },
    sentence: (o) => `The authorizer ${o.name} gave an answer that is none: ${o.says}. What cannot be read is refused.`,
    standard: FAIL_CLOSED,
    remedy: 'Answer with exactly the members that an answer has.',
  }),
  'authorizer.busy': failing<{ name: string; says: string }>('authorizer', 503, {
    title: 'The request could not be decided now',
    example: { name: 'own section', says: '200 calls of it wait already' },
    sentence: (o) => `The authorizer ${o.name} could not be asked: ${o.says}.`,
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'Make it quicker, keep its answers for a few seconds, or run more nodes.',
  }),
  'authorizer.unavailable': failing<{ name: string; says: string }>('authorizer', 503, {
    title: 'The request could not be decided now',
    example: { name: 'water right', says: 'http://127.0.0.1:4460/access/v1/evaluation answered 500' },
    sentence: (o) => `The authorizer ${o.name} has no answer: ${o.says}.`,
    standard: 'OpenID AuthZEN Authorization API 1.0, Access Evaluation (from memory); RFC 9110 section 15.6.4',
    remedy: 'See that the service runs and can be reached from the gateway. Until then its operations stay shut.',
  }),
  'authorizer.not-known': notAsked<{ name: string }>('authorizer', {
    example: { name: 'own section' },
    sentence: (o) => `What the authorizer ${o.name} says hangs on the request.`,
  }),
} as const;
