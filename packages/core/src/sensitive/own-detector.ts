import { RE2JS } from 're2js';
import type { DetectorRule } from '../document/sensitive-rule.js';
import { MOST_SPANS, starred, type Detector, type Span } from './detector.js';

/** Characters of an own pattern. */
export const MOST_PATTERN = 500;

/** Why a pattern cannot be used; null where it can. */
export function patternFault(pattern: string): string | null {
  if (pattern === '') return 'a pattern is not empty';
  if (pattern.length > MOST_PATTERN) return `a pattern has at most ${MOST_PATTERN} characters`;
  try {
    if (RE2JS.compile(pattern).matcher('').find()) return 'it matches the empty text, so it would be found everywhere';
    return null;
  } catch (error) {
    return `it cannot be matched in bounded time: ${(error as Error).message}`.slice(0, 300);
  }
}

/** A detector with a pattern of one's own (RE2 syntax), matched without backtracking. @throws Error for a pattern that cannot be used */
export function ownDetector({ id, name, pattern }: DetectorRule): Detector {
  const compiled = RE2JS.compile(pattern);
  return {
    id,
    name,
    group: 'own',
    verifies: `the pattern ${pattern}`,
    find: (text) => {
      const found: Span[] = [];
      const matcher = compiled.matcher(text);
      while (found.length < MOST_SPANS && matcher.find()) if (matcher.end() > matcher.start()) found.push({ from: matcher.start(), to: matcher.end() });
      return found;
    },
    mask: (text) => starred(text),
  };
}
