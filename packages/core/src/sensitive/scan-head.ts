import { unescapedPart } from './text-of-body.js';
import type { Detector } from './detector.js';
import { scanText, type Hit } from './scan.js';

/** Where the names of query parameters are said to stand. */
const NAMES = 'the names of parameters';

/** What is found in a path, by its segments with their escapes read. @param path below the base of its API, beginning with a slash, without its query */
export const scanPath = (path: string, detectors: readonly Detector[]): Hit[] =>
  path
    .slice(1)
    .split('/')
    .flatMap((segment, index) => [...scanText(unescapedSegment(segment), detectors, `segment ${index + 1}`, '').hits]);

/** What is found in a query: in the values of its parameters, and in their names. @param pairs with their escapes read */
export const scanPairs = (pairs: readonly (readonly [name: string, value: string])[], detectors: readonly Detector[]): Hit[] =>
  pairs.flatMap(([name, value]) => {
    const said = scanText(name, detectors, NAMES, '');
    // A name that holds something is not told of whole either.
    return [...said.hits, ...scanText(value, detectors, said.masked ?? name, name).hits];
  });

/** In a path a plus sign is one (RFC 3986 section 3.3). */
const unescapedSegment = (segment: string): string => unescapedPart(segment.replaceAll('+', '%2B'));
