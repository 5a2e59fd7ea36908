import { checkShape, listOf, text } from '../util/shape.js';
import {
  API,
  AUTHORIZER,
  CALLER_ADDRESS,
  CERTIFICATE_HEADER,
  CONDITION,
  COUNTING,
  DETECTOR,
  FENCE,
  GUESSING,
  LIMITS,
  NETWORK,
  OPERATION,
  PLAN,
  PROVIDER,
} from './document-shapes.js';
import { arrayOf, recordOf } from './check-values.js';

/**
 * Checks that a document is built as its type says: what is missing or of another type would otherwise count as nothing
 * asked. One small step at a time. @throws ConfigError from `next()` with the pointer of what is wrong
 */
export function* checkStructure(value: unknown): Generator<void, void> {
  const document = recordOf(value, '');
  checkShape(text, document['environment'], '/environment');
  checkShape(listOf(PROVIDER), document['providers'], '/providers');
  checkShape(CERTIFICATE_HEADER, document['certificateHeader'], '/certificateHeader');
  checkShape(listOf(NETWORK), document['networks'], '/networks');
  checkShape(FENCE, document['fence'], '/fence');
  checkShape(CALLER_ADDRESS, document['callerAddress'], '/callerAddress');
  checkShape(listOf(CONDITION), document['conditions'], '/conditions');
  checkShape(listOf(AUTHORIZER), document['authorizers'], '/authorizers');
  checkShape(listOf(DETECTOR), document['detectors'], '/detectors');
  checkShape(listOf(PLAN), document['plans'], '/plans');
  checkShape(LIMITS, document['limits'], '/limits');
  checkShape(GUESSING, document['guessing'], '/guessing');
  checkShape(COUNTING, document['counting'], '/counting');
  for (const [index, api] of arrayOf(document['apis'], '/apis').entries()) {
    const at = `/apis/${index}`;
    checkShape(API, api, at);
    for (const [position, operation] of arrayOf(recordOf(api, at)['operations'], `${at}/operations`).entries()) {
      checkShape(OPERATION, operation, `${at}/operations/${position}`);
      if (position % 100 === 99) yield;
    }
    yield;
  }
}
