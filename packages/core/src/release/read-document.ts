import { RELEASE_FORMAT, type ReleaseDocument } from '../document/release-document.js';
import { UPSTREAM_LIMITS } from '../document/upstream-limits.js';
import { ANYWHERE, NO_FENCE } from '../document/address-rule.js';
import { ANY_MESSAGE, NO_LANES } from '../document/message-rule.js';
import { NO_CONTRACT } from '../document/contract-rule.js';
import { NO_LEARNING } from '../document/learning-rule.js';
import { NO_GUESSING, USUAL_COUNTING } from '../document/limit-rule.js';
import { NO_PLAN } from '../document/plan-rule.js';
import { ENFORCED } from '../document/modes.js';
import { NOTHING_SENSITIVE } from '../document/sensitive-rule.js';
import { isRecord } from '../util/json-pointer.js';
import { checkDocument } from './check-document.js';
import { fail } from './check-values.js';

type Json = Readonly<Record<string, unknown>>;

/** From a format to the next, one small pure function each, in order: the first makes 2 of 1. */
const MIGRATIONS: readonly ((document: Json) => Json)[] = [
  oneToTwo,
  twoToThree,
  threeToFour,
  fourToFive,
  fiveToSix,
  sixToSeven,
  sevenToEight,
  eightToNine,
  nineToTen,
];

/**
 * Reads a release document of this or an earlier form: its structure, then what earlier forms lack, then its meaning. One
 * way for drafts, rollbacks, what nodes keep on disk and what they are sent.
 * @throws ConfigError with the pointer of the first member that is wrong
 */
export function readDocument(value: unknown): ReleaseDocument {
  const document = upgradeDocument(value);
  checkDocument(document);
  return document;
}

/**
 * A document in the form of this version. Its structure and meaning are checked where it is compiled.
 * @throws ConfigError for what is no release document, and for one of a newer version
 */
export function upgradeDocument(value: unknown): ReleaseDocument {
  let document: Json = isRecord(value) ? value : fail('', 'a release document is an object');
  const { format } = document;
  if (typeof format !== 'number' || !Number.isInteger(format) || format < 1) fail('/format', 'the format of a release document is a whole number from 1');
  if (format > RELEASE_FORMAT)
    fail('/format', `this version reads release formats up to ${RELEASE_FORMAT}; the document is of format ${String(format)}, from a newer version`);
  for (let from = format; from < RELEASE_FORMAT; from++) document = (MIGRATIONS[from - 1] as (before: Json) => Json)(document);
  return document as unknown as ReleaseDocument;
}

const each = (value: unknown, change: (item: Json) => Json): unknown =>
  Array.isArray(value) ? (value as unknown[]).map((item) => (isRecord(item) ? change(item) : item)) : value;

/** Format 2 has places of keys, rules about bodies and headers, modes, and the limits of an upstream always. */
function oneToTwo(document: Json): Json {
  const upstream = (value: unknown): unknown => (isRecord(value) ? { ...value, limits: value['limits'] ?? UPSTREAM_LIMITS } : value);
  return {
    ...document,
    format: 2,
    certificateHeader: document['certificateHeader'] ?? null,
    apis: each(document['apis'], (api) => ({
      ...api,
      upstream: upstream(api['upstream']),
      schemes: each(api['schemes'], (scheme) => ({ ...scheme, place: null })),
      message: ANY_MESSAGE,
      headers: NO_LANES,
      modes: ENFORCED,
      operations: each(api['operations'], (operation) => ({
        ...operation,
        access: operation['access'] ?? null,
        token: operation['token'] ?? null,
        message: null,
        modes: null,
      })),
    })),
  };
}

/** Format 3 has rules about addresses. */
function twoToThree(document: Json): Json {
  return {
    ...document,
    format: 3,
    networks: [],
    fence: NO_FENCE,
    callerAddress: null,
    apis: each(document['apis'], (api) => ({
      ...api,
      addresses: ANYWHERE,
      operations: each(api['operations'], (operation) => ({ ...operation, addresses: null })),
    })),
  };
}

/** Format 4 has conditions. */
function threeToFour(document: Json): Json {
  return {
    ...document,
    format: 4,
    conditions: [],
    apis: each(document['apis'], (api) => ({
      ...api,
      conditions: [],
      operations: each(api['operations'], (operation) => ({ ...operation, conditions: null })),
    })),
  };
}

/** Format 5 has authorizers. */
function fourToFive(document: Json): Json {
  return {
    ...document,
    format: 5,
    authorizers: [],
    apis: each(document['apis'], (api) => ({
      ...api,
      authorizers: [],
      operations: each(api['operations'], (operation) => ({ ...operation, authorizers: null })),
    })),
  };
}

/** Format 6 has rules about the contract, and about paths that no operation matches. */
function fiveToSix(document: Json): Json {
  return {
    ...document,
    format: 6,
    apis: each(document['apis'], (api) => ({
      ...api,
      contract: NO_CONTRACT,
      unmatched: [],
      operations: each(api['operations'], (operation) => ({ ...operation, contract: null })),
    })),
  };
}

/** Format 7 has learning, sensitive data, and operations that reference pages leave out. */
function sixToSeven(document: Json): Json {
  return {
    ...document,
    format: 7,
    detectors: [],
    apis: each(document['apis'], (api) => ({
      ...api,
      learning: NO_LEARNING,
      sensitive: NOTHING_SENSITIVE,
      operations: each(api['operations'], (operation) => ({ ...operation, hidden: false })),
    })),
  };
}

/** Format 8 has plans and limits. */
function sevenToEight(document: Json): Json {
  return {
    ...document,
    format: 8,
    plans: [],
    limits: [],
    guessing: NO_GUESSING,
    counting: USUAL_COUNTING,
    apis: each(document['apis'], (api) => ({
      ...api,
      plan: NO_PLAN,
      limits: [],
      operations: each(api['operations'], (operation) => ({ ...operation, plan: null, limits: [] })),
    })),
  };
}

/** Format 9 has scripts that are shown bodies. */
function eightToNine(document: Json): Json {
  const source = (by: unknown): unknown => (isRecord(by) && by['kind'] === 'script' ? { ...by, body: false } : by);
  return { ...document, format: 9, authorizers: each(document['authorizers'], (authorizer) => ({ ...authorizer, by: source(authorizer['by']) })) };
}

/** Format 10 chooses the fields that say where a request came from. Both kinds were sent before. */
function nineToTen(document: Json): Json {
  const upstream = (value: unknown): unknown => (isRecord(value) ? { ...value, callerFields: 'both' } : value);
  return { ...document, format: 10, apis: each(document['apis'], (api) => ({ ...api, upstream: upstream(api['upstream']) })) };
}
