import { ConfigError } from '../util/config-error.js';
import { isRecord } from '../util/json-pointer.js';

/** @throws ConfigError */
export function fail(pointer: string, message: string): never {
  throw new ConfigError(pointer, message);
}

const NAME = /^[A-Za-z][A-Za-z0-9 _-]{0,59}$/;

/** Whether a text is a name such as networks and conditions have. */
export const isName = (text: string): boolean => NAME.test(text) && !text.endsWith(' ');

/** @throws ConfigError for what is no name */
export function checkName(name: string, pointer: string): void {
  if (!isName(name)) fail(pointer, 'a name begins with a letter and has at most 60 letters, digits, blanks, dashes and underscores');
}

/** Refuses values that stand twice. @throws ConfigError at the second of them */
export function unique(values: readonly string[], pointer: (index: number) => string, message: string): void {
  const seen = new Set<string>();
  values.forEach((value, index) => {
    if (seen.has(value)) fail(pointer(index), `${message}: ${value}`);
    seen.add(value);
  });
}

/** @throws ConfigError for a number out of its range, ends included */
export function within(value: number, least: number, most: number, pointer: string): void {
  if (typeof value !== 'number' || !Number.isFinite(value) || value < least || value > most) fail(pointer, `must be a number from ${least} to ${most}`);
}

/** @throws ConfigError for anything but an array */
export function arrayOf(value: unknown, pointer: string): readonly unknown[] {
  return Array.isArray(value) ? (value as unknown[]) : fail(pointer, 'must be a list');
}

/** @throws ConfigError for anything but an object */
export function recordOf(value: unknown, pointer: string): Readonly<Record<string, unknown>> {
  return isRecord(value) ? value : fail(pointer, 'must be an object');
}
