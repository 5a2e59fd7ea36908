import { isRecord } from '../util/json-pointer.js';

/** How a subscription stands: nothing but `active` opens anything. */
export const SUBSCRIPTION_STATES = ['waiting', 'active', 'suspended', 'ended'] as const;
export type SubscriptionState = (typeof SUBSCRIPTION_STATES)[number];

/** That a client has a plan, or asked for one. */
export interface SubscriptionFact {
  readonly id: string;
  readonly clientId: string;
  readonly planId: string;
  readonly state: SubscriptionState;
  /** Milliseconds since the epoch; null for at once, and for without an end. The moment of its end is over. */
  readonly startsAt: number | null;
  readonly endsAt: number | null;
}

const isText = (value: unknown): value is string => typeof value === 'string' && value !== '';
const isTime = (value: unknown): value is number | null => value === null || (typeof value === 'number' && Number.isFinite(value));

/** Reads a subscription; null for what has not the form of one. */
export function readSubscription(value: unknown): SubscriptionFact | null {
  if (!isRecord(value)) return null;
  const { id, clientId, planId, startsAt, endsAt } = value;
  const state = SUBSCRIPTION_STATES.find((one) => one === value['state']);
  if (!state || !isText(id) || !isText(clientId) || !isText(planId) || !isTime(startsAt) || !isTime(endsAt)) return null;
  return { id, clientId, planId, state, startsAt, endsAt };
}
