/**
 * Whether a number that was read from JSON could be any of several: texts say whole numbers of any length, and here those of more
 * than 53 bits are read as a neighbour (RFC 8259 section 6, RFC 7493 section 2.2).
 */
export const isRounded = (value: unknown): boolean =>
  typeof value === 'number' && !Number.isSafeInteger(value) && (Number.isInteger(value) || !Number.isFinite(value));

/** What is wrong with such a number, for people who wrote it. */
export const ROUNDED = 'has more than 53 bits, which readers round differently';

/** Whether such a number stands anywhere in a value. */
export const holdsRounded = (value: unknown): boolean =>
  typeof value === 'object' && value !== null ? Object.values(value).some(holdsRounded) : isRounded(value);
