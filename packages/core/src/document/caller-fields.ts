/**
 * In which fields an upstream is told of the caller's address and of the scheme and host that it used: `X-Forwarded-For`, `-Proto`
 * and `-Host` (common practice), `Forwarded` (RFC 7239 section 4), or both.
 */
export const CALLER_FIELDS = ['x-forwarded', 'forwarded', 'both'] as const;
export type CallerFields = (typeof CALLER_FIELDS)[number];
