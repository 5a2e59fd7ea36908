import { comparison, failing, list, meeting, notAsked } from './code-entry.js';
import { stamp } from './token-codes.js';

const NO_PLAN = { title: 'No plan opens this operation to you' } as const;
const PLAIN = 'common practice: a plan is a right, and without it the answer is 403 (RFC 9110 section 15.5.4)';
const REMEDY = 'Give the client the plan under its subscriptions, or let it in by another one.';

type Subscribed = { plan: string; client: string };
type Limited = { limit: string; of: number; span: string; by: string; waitMs: number; where: string };

const seconds = (ms: number): string =>
  ms < 120_000 ? `${Math.ceil(ms / 1000)} s` : ms < 7_200_000 ? `${Math.ceil(ms / 60_000)} min` : `${Math.ceil(ms / 3_600_000)} h`;
const apart = (by: string): string => (by === 'everyone' ? 'all callers together' : `each ${by}`);
const counted = (where: string): string => (where === 'alone' ? ' This node counts alone: the counters that nodes share are away.' : '');
const TOO_MANY = 'RFC 6585 section 4, RFC 9110 section 10.2.3 (Retry-After)';

/** Plans, subscriptions, limits, and whoever guesses credentials. */
export const LIMIT_CODES = {
  'guess.few': meeting<Record<never, never>>('guess', { sentence: () => 'Few have failed to prove themselves from there.' }),
  'guess.too-many': failing<{ by: string; failures: number; spanSeconds: number; waitMs: number }>('guess', 429, {
    title: 'Too many failed attempts',
    example: { by: 'address', failures: 30, spanSeconds: 60, waitMs: 12_000 },
    sentence: (o) =>
      `${o.failures} failures to prove oneself ${o.by === 'address' ? 'from this address' : 'with this credential'} in ${o.spanSeconds} s: nothing is looked at for another ${seconds(o.waitMs)}.`,
    compare: (o) => [comparison('failures', `fewer than ${o.failures} in ${o.spanSeconds} s`, `${o.failures} or more`)],
    standard: `${TOO_MANY}; OWASP API Security Top 10 2023, API2`,
    remedy: 'Look who it is. A program with an old credential goes on failing until somebody gives it a new one; anybody else was guessing.',
  }),
  'plan.found': meeting<Subscribed & { by: string }>('plan', {
    example: { plan: 'Small', client: 'Open data site', by: 'subscription' },
    sentence: (o) => `The plan ${o.plan} opens it to ${o.client}, by ${o.by === 'subscription' ? 'its subscription' : 'what its token says'}.`,
    compare: (o) => [comparison('plan', null, o.plan)],
  }),
  'plan.nobody': failing<Record<never, never>>('plan', 403, {
    ...NO_PLAN,
    sentence: () => 'The operation asks for a plan, and the caller is no client that could have one.',
    standard: PLAIN,
    remedy: 'Let it prove itself as a client, or take the plan off this operation.',
  }),
  'plan.no-subscription': failing<{ client: string }>('plan', 403, {
    ...NO_PLAN,
    example: { client: 'Open data site' },
    sentence: (o) => `${o.client} has no plan that opens this operation.`,
    standard: PLAIN,
    remedy: REMEDY,
  }),
  'plan.not-covered': failing<Subscribed>('plan', 403, {
    ...NO_PLAN,
    example: { plan: 'Small', client: 'Open data site' },
    sentence: (o) => `The plan ${o.plan} of ${o.client} does not open this operation, though it opens others.`,
    standard: PLAIN,
    remedy: 'Add the operation to the plan, or give the client a plan that has it.',
  }),
  'plan.waiting': failing<Subscribed>('plan', 403, {
    ...NO_PLAN,
    example: { plan: 'Small', client: 'Open data site' },
    sentence: (o) => `${o.client} asked for the plan ${o.plan}, and nobody has approved it yet.`,
    standard: PLAIN,
    remedy: 'Approve or refuse it under Plans.',
  }),
  'plan.suspended': failing<Subscribed>('plan', 403, {
    ...NO_PLAN,
    example: { plan: 'Small', client: 'Open data site' },
    sentence: (o) => `The plan ${o.plan} of ${o.client} is suspended.`,
    standard: PLAIN,
    remedy: 'Take the suspension back under Plans, if it may call again.',
  }),
  'plan.ended': failing<Subscribed & { at: number }>('plan', 403, {
    ...NO_PLAN,
    example: { plan: 'Small', client: 'Open data site', at: 1767222000000 },
    sentence: (o) => `The plan ${o.plan} of ${o.client} ended${o.at > 0 ? ` at ${stamp(o.at)}` : ''}.`,
    compare: (o) => (o.at > 0 ? [comparison('end', 'later than now', stamp(o.at))] : []),
    standard: PLAIN,
    remedy: 'Give it a later end, or let the client ask for another plan.',
  }),
  'plan.not-yet': failing<Subscribed & { at: number }>('plan', 403, {
    ...NO_PLAN,
    example: { plan: 'Small', client: 'Open data site', at: 1767222000000 },
    sentence: (o) => `The plan ${o.plan} of ${o.client} begins at ${stamp(o.at)}.`,
    compare: (o) => [comparison('start', 'now or earlier', stamp(o.at))],
    standard: PLAIN,
    remedy: 'Wait until it begins, or let it begin sooner.',
  }),
  'plan.not-known': failing<{ attribute: string; value: string }>('plan', 403, {
    ...NO_PLAN,
    example: { attribute: 'plan', value: 'gold' },
    sentence: (o) => `The token names the plan ${o.value} in ${o.attribute}, and there is none of that name.`,
    compare: (o) => [comparison(o.attribute, 'the id or the name of one plan', o.value)],
    standard: PLAIN,
    remedy: 'Make a plan of that name, or let the provider name one that there is.',
  }),
  'plan.too-large': failing<{ plan: string; bytes: number; limit: number }>('plan', 413, {
    title: 'The body is larger than the plan allows',
    example: { plan: 'Small', bytes: 20_000, limit: 10_000 },
    sentence: (o) => `The body has ${o.bytes} bytes; the plan ${o.plan} allows ${o.limit}.`,
    compare: (o) => [comparison('body', `${o.limit} bytes`, `${o.bytes} bytes`)],
    standard: 'RFC 9110 section 15.5.14',
    remedy: 'Send less at one time, or give the client a plan that allows more.',
  }),
  'plan.within': meeting<{ plan: string; bytes: number | null; limit: number }>('plan', {
    example: { plan: 'Small', bytes: 800, limit: 10_000 },
    sentence: (o) =>
      `The plan ${o.plan} allows bodies of ${o.limit} bytes; ${o.bytes === null ? 'how long this one is, was not said and is counted' : `this one has ${o.bytes}`}.`,
    compare: (o) => [comparison('body', `at most ${o.limit} bytes`, o.bytes === null ? null : `${o.bytes} bytes`)],
  }),
  'plan.no-bound': notAsked<Record<never, never>>('plan', { sentence: () => 'Its plan bounds no bodies, or it has none.' }),
  'limit.within': meeting<{ limit: string; left: number; of: number; where: string }>('limit', {
    example: { limit: 'a minute', left: 41, of: 60, where: 'here' },
    sentence: (o) => `Within every limit; the narrowest, ${o.limit}, leaves ${o.left} of ${o.of}.${counted(o.where)}`,
    compare: (o) => [comparison(o.limit, `${o.of}`, `${o.left} left`)],
  }),
  'limit.none': notAsked<Record<never, never>>('limit', { sentence: () => 'Nothing limits it.' }),
  'limit.no-more-observed': notAsked<Record<never, never>>('limit', { sentence: () => 'Within every limit that only observes.' }),
  'limit.supposed': notAsked<{ limits: readonly string[] }>('limit', {
    example: { limits: ['a minute'] },
    sentence: (o) => `It is supposed that there is room under ${list(o.limits)}.`,
  }),
  'limit.rate': failing<Limited>('limit', 429, {
    title: 'Too many requests',
    example: { limit: 'a minute', of: 60, span: '60 s', by: 'client', waitMs: 12_000, where: 'here' },
    sentence: (o) =>
      `${o.limit} lets ${o.of} requests in ${o.span} through, of ${apart(o.by)}; there is room again in ${seconds(o.waitMs)}.${counted(o.where)}`,
    compare: (o) => [comparison(o.limit, `${o.of} in ${o.span}`, 'used up')],
    standard: TOO_MANY,
    remedy: 'If the caller behaves, raise the limit or give it a larger plan. If it does not, it is held up as it should be.',
  }),
  'limit.quota': failing<Limited>('limit', 429, {
    title: 'The quota is used up',
    example: { limit: 'Small quota', of: 10_000, span: 'day', by: 'client', waitMs: 7_200_000, where: 'here' },
    sentence: (o) => `${o.limit}, ${o.of} requests a ${o.span}, is used up; it begins anew in ${seconds(o.waitMs)}.${counted(o.where)}`,
    compare: (o) => [comparison(o.limit, `${o.of} a ${o.span}`, 'used up')],
    standard: TOO_MANY,
    remedy: 'Give the client a larger plan, or raise the quota of this one: what was used stays counted.',
  }),
  'limit.at-once': failing<Limited>('limit', 429, {
    title: 'Too many requests at one time',
    example: { limit: 'Small at once', of: 4, span: '', by: 'client', waitMs: 1000, where: 'here' },
    sentence: (o) => `${o.limit} lets ${o.of} requests be under way, and so many are.${counted(o.where)}`,
    compare: (o) => [comparison('under way', `fewer than ${o.of}`, `${o.of}`)],
    standard: TOO_MANY,
    remedy: 'The caller should wait for answers before it asks again, or have a plan that allows more at one time.',
  }),
  'limit.away': failing<{ reason: string }>('limit', 503, {
    title: 'The service is unavailable',
    example: { reason: 'it does not answer' },
    sentence: (o) => `The counters that nodes share cannot be reached (${o.reason}), and nothing passes uncounted.`,
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'Bring the store of the counters back, or say under Limits that nodes count alone while it is away.',
  }),
} as const;
