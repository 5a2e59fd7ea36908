import type { LimitRule, LimitSubject } from '../document/limit-rule.js';
import type { PlanRule } from '../document/plan-rule.js';

/** A limit in one sentence, without a full stop. */
export function describeLimit({ by, method, requests, seconds, burst }: Omit<LimitRule, 'name' | 'mode'>): string {
  const much = `${requests} ${requests === 1 ? 'request' : 'requests'}`;
  const span = spanWords(seconds);
  switch (method) {
    case 'fixed':
      return `${much} in each ${span} of the clock, ${subjectWords(by)}`;
    case 'sliding':
      return `${much} in the ${span} that ends now, ${subjectWords(by)}`;
    case 'bucket':
      return `${bucketWords(requests, seconds, burst ?? requests)}, ${subjectWords(by)}`;
  }
}

const bucketWords = (requests: number, seconds: number, burst: number): string =>
  `${burst} at once and ${requests} ${requests === 1 ? 'request' : 'requests'} in ${oneSpan(seconds)} evenly after that`;

/** By whom requests are counted, in words. */
export function subjectWords(by: LimitSubject): string {
  switch (by.kind) {
    case 'everyone':
      return 'of all callers together';
    case 'client':
      return 'of each client';
    case 'principal':
      return 'of each user, or of each client where there is no user';
    case 'address':
      return 'from each address, of IPv6 each network of 64 bits';
    case 'credential':
      return 'with each credential';
    case 'header':
      return `with each value of the header ${by.name}`;
    case 'attribute':
      return `with each ${by.name} of the token`;
    case 'metadata':
      return `of all clients with the same ${by.name} in their metadata`;
  }
}

const UNITS = [
  [86_400, 'day'],
  [3600, 'hour'],
  [60, 'minute'],
] as const;

function spanWords(seconds: number): string {
  for (const [size, word] of UNITS) if (seconds % size === 0) return seconds === size ? word : `${seconds / size} ${word}s`;
  return seconds === 1 ? 'second' : `${seconds} seconds`;
}

const oneSpan = (seconds: number): string =>
  /^\d/.test(spanWords(seconds)) ? spanWords(seconds) : `${/^h/.test(spanWords(seconds)) ? 'an' : 'a'} ${spanWords(seconds)}`;

const bytesWords = (bytes: number): string => {
  if (bytes % 1_048_576 === 0) return `${bytes / 1_048_576} MiB`;
  return bytes % 1024 === 0 ? `${bytes / 1024} KiB` : `${bytes} bytes`;
};

/** What a plan allows, one short sentence each; empty for a plan that limits nothing. */
export function describePlan({ rate, quota, atOnce, requestBytes }: PlanRule): string[] {
  return [
    ...(rate ? [bucketWords(rate.requests, rate.seconds, rate.burst)] : []),
    ...(quota ? [`${quota.requests} ${quota.requests === 1 ? 'request' : 'requests'} a ${quota.per} (${quota.zone})`] : []),
    ...(atOnce === null ? [] : [`${atOnce} under way at one time`]),
    ...(requestBytes === null ? [] : [requestBytes === 0 ? 'no bodies' : `bodies of at most ${bytesWords(requestBytes)}`]),
  ];
}
