import { LIMIT_RANGES, type CountingRule, type GuessingRule, type LimitRule } from '../document/limit-rule.js';
import { PLAN_RANGES, type PlanRule } from '../document/plan-rule.js';
import { isZone } from '../limit/calendar-span.js';
import { checkName, fail, unique, within } from './check-values.js';

const FIELD_NAME = /^[!#$%&'*+\-.^_`|~0-9a-z]{1,100}$/;

/** @throws ConfigError for a number that is not whole, or out of its range */
function whole(value: number, [least, most]: readonly [number, number], at: string): void {
  within(value, least, most, at);
  if (!Number.isInteger(value)) fail(at, 'must be a whole number');
}

/** Checks limits of one place. @throws ConfigError */
export function checkLimits(limits: readonly LimitRule[], at: string): void {
  if (limits.length > LIMIT_RANGES.list) fail(at, `at most ${LIMIT_RANGES.list} limits stand in one list`);
  unique(
    limits.map(({ name }) => name.toLowerCase()),
    (index) => `${at}/${index}/name`,
    'two limits have the same name',
  );
  limits.forEach(({ name, by, method, requests, seconds, burst }, index) => {
    const here = `${at}/${index}`;
    checkName(name, `${here}/name`);
    whole(requests, LIMIT_RANGES.requests, `${here}/requests`);
    whole(seconds, LIMIT_RANGES.seconds, `${here}/seconds`);
    if (burst !== null && method !== 'bucket') fail(`${here}/burst`, 'only a bucket has a number that may come at once');
    if (burst !== null) whole(burst, LIMIT_RANGES.burst, `${here}/burst`);
    if (by.kind === 'header' && !FIELD_NAME.test(by.name)) fail(`${here}/by/name`, 'the name of a header field, in small letters');
    if ((by.kind === 'attribute' || by.kind === 'metadata') && by.name.length > 100) fail(`${here}/by/name`, 'at most 100 characters');
  });
}

/** Checks what holds up guessing. @throws ConfigError */
export function checkGuessing(rule: GuessingRule | null, at: string): void {
  if (rule === null) return;
  whole(rule.seconds, LIMIT_RANGES.seconds, `${at}/seconds`);
  if (rule.byAddress === null && rule.byCredential === null) fail(at, 'count failures by address, by credential or by both');
  if (rule.byAddress !== null) whole(rule.byAddress, LIMIT_RANGES.requests, `${at}/byAddress`);
  if (rule.byCredential !== null) whole(rule.byCredential, LIMIT_RANGES.requests, `${at}/byCredential`);
}

/** @throws ConfigError */
export function checkCounting({ sharePercent }: CountingRule, at: string): void {
  whole(sharePercent, LIMIT_RANGES.sharePercent, `${at}/sharePercent`);
}

/** Checks plans. What they cover may be gone: it opens nothing then. @throws ConfigError */
export function checkPlans(plans: readonly PlanRule[], at: string): void {
  if (plans.length > PLAN_RANGES.plans) fail(at, `there are at most ${PLAN_RANGES.plans} plans`);
  unique(
    plans.map(({ id }) => id),
    (index) => `${at}/${index}/id`,
    'two plans have the same id',
  );
  unique(
    plans.map(({ name }) => name.toLowerCase()),
    (index) => `${at}/${index}/name`,
    'two plans have the same name',
  );
  plans.forEach((plan, index) => checkPlan(plan, plans, `${at}/${index}`));
}

function checkPlan({ id, name, covers, rate, quota, atOnce, requestBytes }: PlanRule, plans: readonly PlanRule[], at: string): void {
  if (!/^[a-z0-9][a-z0-9-]{0,99}$/.test(id)) fail(`${at}/id`, 'an id has small letters, digits and dashes');
  checkName(name, `${at}/name`);
  // A token names a plan by either: what is the id of one must not be the name of another.
  if (plans.some((other) => other.id !== id && other.id === name)) fail(`${at}/name`, 'it is the id of another plan');
  if (covers.length > PLAN_RANGES.covers) fail(`${at}/covers`, `a plan covers at most ${PLAN_RANGES.covers} APIs`);
  unique(
    covers.map(({ apiId }) => apiId),
    (index) => `${at}/covers/${index}/apiId`,
    'the API stands there twice',
  );
  if (rate) {
    whole(rate.requests, LIMIT_RANGES.requests, `${at}/rate/requests`);
    whole(rate.seconds, LIMIT_RANGES.seconds, `${at}/rate/seconds`);
    whole(rate.burst, LIMIT_RANGES.burst, `${at}/rate/burst`);
  }
  if (quota) {
    whole(quota.requests, LIMIT_RANGES.requests, `${at}/quota/requests`);
    if (!isZone(quota.zone)) fail(`${at}/quota/zone`, 'the name of a time zone, such as UTC or Europe/Berlin');
  }
  if (atOnce !== null) whole(atOnce, PLAN_RANGES.atOnce, `${at}/atOnce`);
  if (requestBytes !== null) whole(requestBytes, PLAN_RANGES.requestBytes, `${at}/requestBytes`);
}
