import type { OwnPlan } from '@virga/protocol';

/** How a plan of a client stands, for people. */
export const PLAN_WORDS: Readonly<Record<OwnPlan['now'], string>> = {
  waiting: 'waits for approval',
  active: 'yours',
  suspended: 'suspended by the operator',
  ended: 'ended',
  'not-yet': 'begins later',
  declined: 'declined',
};
