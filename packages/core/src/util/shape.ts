import { ConfigError } from './config-error.js';
import { isRecord, pointerToken } from './json-pointer.js';

/** Says whether a value is built as it should be. @throws ConfigError with the pointer of what is not */
export type Shape = (value: unknown, at: string) => void;

const wrong = (at: string, message: string): never => {
  throw new ConfigError(at, message);
};

export const text: Shape = (value, at) => void (typeof value === 'string' || wrong(at, 'must be a text'));
export const someText: Shape = (value, at) => void ((typeof value === 'string' && value !== '') || wrong(at, 'must be a text that is not empty'));
export const flag: Shape = (value, at) => void (typeof value === 'boolean' || wrong(at, 'must be one of true, false'));
export const number: Shape = (value, at) => void ((typeof value === 'number' && Number.isFinite(value)) || wrong(at, 'must be a number'));

export const word =
  (...words: readonly string[]): Shape =>
  (value, at) =>
    void ((typeof value === 'string' && words.includes(value)) || wrong(at, `must be one of ${words.join(', ')}`));

export const nullable =
  (shape: Shape): Shape =>
  (value, at) =>
    void (value === null || shape(value, at));

/** A word in capitals in place of a value. */
export const wordOr =
  (instead: string, shape: Shape): Shape =>
  (value, at) =>
    void (value === instead || shape(value, at));

export const listOf =
  (shape: Shape): Shape =>
  (value, at) => {
    const items = Array.isArray(value) ? (value as readonly unknown[]) : wrong(at, 'must be a list');
    for (let index = 0; index < items.length; index++) shape(items[index], `${at}/${index}`);
  };

export type Members = Readonly<Record<string, Shape>>;

/** An object with all of these members; what else it has is not looked at. */
export const object =
  (members: Members): Shape =>
  (value, at) => {
    const record = recordAt(value, at);
    for (const name in members) (members[name] as Shape)(record[name], `${at}/${pointerToken(name)}`);
  };

/** An object with some of these members and no other. */
export const someOf =
  (members: Members): Shape =>
  (value, at) => {
    for (const [name, member] of Object.entries(recordAt(value, at))) {
      const shape = Object.hasOwn(members, name) ? (members[name] as Shape) : wrong(`${at}/${pointerToken(name)}`, `there is no ${name} here`);
      shape(member, `${at}/${pointerToken(name)}`);
    }
  };

/** An object whose member `tag` says which of these it is. */
export const tagged =
  (tag: string, shapes: Readonly<Record<string, Shape>>): Shape =>
  (value, at) => {
    const kind = recordAt(value, at)[tag];
    const shape = typeof kind === 'string' && Object.hasOwn(shapes, kind) ? shapes[kind] : undefined;
    if (!shape) wrong(`${at}/${tag}`, `must be one of ${Object.keys(shapes).join(', ')}`);
    else shape(value, at);
  };

export const anyRecord: Shape = (value, at) => void recordAt(value, at);

const recordAt = (value: unknown, at: string): Readonly<Record<string, unknown>> => (isRecord(value) ? value : wrong(at, 'must be an object'));
