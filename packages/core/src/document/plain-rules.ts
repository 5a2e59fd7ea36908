import { ANYWHERE } from './address-rule.js';
import { NO_CONTRACT } from './contract-rule.js';
import { NO_LEARNING } from './learning-rule.js';
import { ANY_MESSAGE, NO_LANES } from './message-rule.js';
import { ENFORCED } from './modes.js';
import { NO_PLAN } from './plan-rule.js';
import type { ApiRule, OperationRule } from './release-document.js';
import { NOTHING_SENSITIVE } from './sensitive-rule.js';

/** Rules of an API that ask nothing beside who may call it: what a new one begins with. */
export const NOTHING_MORE = Object.freeze({
  message: ANY_MESSAGE,
  headers: NO_LANES,
  addresses: ANYWHERE,
  conditions: [],
  authorizers: [],
  modes: ENFORCED,
  contract: NO_CONTRACT,
  unmatched: [],
  learning: NO_LEARNING,
  sensitive: NOTHING_SENSITIVE,
  plan: NO_PLAN,
  limits: [],
  contractHash: null,
}) satisfies Partial<ApiRule>;

/** An operation of which nothing is said: all its rules are its API's. */
export const AS_ITS_API = Object.freeze({
  operationId: null,
  summary: '',
  access: null,
  token: null,
  message: null,
  modes: null,
  addresses: null,
  conditions: null,
  authorizers: null,
  contract: null,
  plan: null,
  limits: [],
  hidden: false,
}) satisfies Omit<OperationRule, 'id' | 'method' | 'path'>;
