/** A value that is there, or that comes. Whoever can go on without waiting does. */
export type Awaitable<T> = T | Promise<T>;

/** Goes on with a value as soon as it is there, at once where it is. */
export const whenThere = <T, R>(value: Awaitable<T>, next: (value: T) => Awaitable<R>): Awaitable<R> =>
  value instanceof Promise ? value.then(next) : next(value);
