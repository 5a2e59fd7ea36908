import type { LimitRule } from '../document/limit-rule.js';
import type { PlanRule } from '../document/plan-rule.js';
import { describeLimit, describePlan } from './describe-limit.js';

const PLAN: PlanRule = {
  id: 'p',
  name: 'P',
  description: '',
  covers: [],
  rate: null,
  quota: null,
  atOnce: null,
  requestBytes: null,
  mode: 'enforce',
  approval: 'by-hand',
};

test.each<[string[], Partial<PlanRule>]>([
  [[], {}],
  [['5 at once and 30 requests in a minute evenly after that'], { rate: { requests: 30, seconds: 60, burst: 5 } }],
  [['2000 requests a week (Europe/Berlin)'], { quota: { requests: 2000, per: 'week', zone: 'Europe/Berlin' } }],
  [['1 under way at one time'], { atOnce: 1 }],
  [['no bodies'], { requestBytes: 0 }],
  [['bodies of at most 1000 bytes'], { requestBytes: 1000 }],
  [['bodies of at most 256 KiB'], { requestBytes: 262_144 }],
  [['bodies of at most 2 MiB'], { requestBytes: 2_097_152 }],
])('a plan says %p', (words, allowed) => {
  expect(describePlan({ ...PLAN, ...allowed })).toEqual(words);
});

const LIMIT: Omit<LimitRule, 'name' | 'mode'> = { by: { kind: 'address' }, method: 'fixed', requests: 100, seconds: 60, burst: null };

test('each method, span and subject has a sentence of its own', () => {
  const told = [
    LIMIT,
    { ...LIMIT, seconds: 3600 },
    { ...LIMIT, seconds: 90 },
    { ...LIMIT, method: 'sliding' as const },
    { ...LIMIT, method: 'bucket' as const, burst: 10 },
    { ...LIMIT, by: { kind: 'everyone' as const } },
    { ...LIMIT, by: { kind: 'principal' as const } },
  ].map(describeLimit);
  expect(new Set(told).size).toBe(told.length);
  for (const sentence of told) expect(sentence).toContain('100 requests');
});
