import { isRecord } from '../util/json-pointer.js';

/** A value of JSON as conditions look at it: objects as maps. */
export function celValue(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(celValue);
  return isRecord(value) ? new Map(Object.entries(value).map(([name, item]) => [name, celValue(item)])) : value;
}
