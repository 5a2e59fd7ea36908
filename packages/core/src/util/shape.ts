import { ConfigError } from './config-error.js';
import { isRecord, pointerToken } from './json-pointer.js';

/**
 * Says whether a value is built as it should be. The pointer of what is not begins at the value itself and is made
 * only when something is wrong: most documents are right.
 * @throws ConfigError
 */
export type Shape = (value: unknown) => void;

const wrong = (message: string): never => {
  throw new ConfigError('', message);
};

/** Checks a value that stands at this pointer. @throws ConfigError */
export function checkShape(shape: Shape, value: unknown, at: string): void {
  try {
    shape(value);
  } catch (error) {
    throw error instanceof ConfigError ? new ConfigError(at + error.pointer, error.message) : error;
  }
}

const inside = (shape: Shape, value: unknown, name: string | number): void => {
  try {
    shape(value);
  } catch (error) {
    throw error instanceof ConfigError ? new ConfigError(`/${pointerToken(name)}${error.pointer}`, error.message) : error;
  }
};

export const text: Shape = (value) => void (typeof value === 'string' || wrong('must be a text'));
export const someText: Shape = (value) => void ((typeof value === 'string' && value !== '') || wrong('must be a text that is not empty'));
export const flag: Shape = (value) => void (typeof value === 'boolean' || wrong('must be one of true, false'));
export const number: Shape = (value) => void ((typeof value === 'number' && Number.isFinite(value)) || wrong('must be a number'));

export const word =
  (...words: readonly string[]): Shape =>
  (value) =>
    void ((typeof value === 'string' && words.includes(value)) || wrong(`must be one of ${words.join(', ')}`));

export const nullable =
  (shape: Shape): Shape =>
  (value) =>
    void (value === null || shape(value));

/** A word in capitals in place of a value. */
export const wordOr =
  (instead: string, shape: Shape): Shape =>
  (value) =>
    void (value === instead || shape(value));

export const listOf =
  (shape: Shape): Shape =>
  (value) => {
    const items = Array.isArray(value) ? (value as readonly unknown[]) : wrong('must be a list');
    for (let index = 0; index < items.length; index++) inside(shape, items[index], index);
  };

export type Members = Readonly<Record<string, Shape>>;

/** An object with all of these members; what else it has is not looked at. */
export const object =
  (members: Members): Shape =>
  (value) => {
    const record = recordOf(value);
    for (const name in members) inside(members[name] as Shape, record[name], name);
  };

/** An object with some of these members and no other. */
export const someOf =
  (members: Members): Shape =>
  (value) => {
    for (const [name, member] of Object.entries(recordOf(value)))
      inside(Object.hasOwn(members, name) ? (members[name] as Shape) : () => wrong(`there is no ${name} here`), member, name);
  };

/** An object whose member `tag` says which of these it is. */
export const tagged =
  (tag: string, shapes: Readonly<Record<string, Shape>>): Shape =>
  (value) => {
    const kind = recordOf(value)[tag];
    const shape = typeof kind === 'string' && Object.hasOwn(shapes, kind) ? shapes[kind] : undefined;
    if (shape) shape(value);
    else inside(() => wrong(`must be one of ${Object.keys(shapes).join(', ')}`), kind, tag);
  };

export const anyRecord: Shape = (value) => void recordOf(value);

const recordOf = (value: unknown): Readonly<Record<string, unknown>> => (isRecord(value) ? value : wrong('must be an object'));
