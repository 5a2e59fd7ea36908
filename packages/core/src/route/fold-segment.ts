const PLAIN = /^[a-z0-9_~-]*$/;
const IGNORABLE = /\p{Default_Ignorable_Code_Point}/gu;
/** Full stops of other scripts that address parsers take for dots (UTS 46 section 2.3). */
const OTHER_STOPS = /[\u3002\uff61]/g;

/**
 * A text as the most lenient reader would compare it: compatibility forms (NFKC) and case folded, characters that are
 * not shown left out.
 */
export function foldText(text: string): string {
  return text.normalize('NFKC').replace(IGNORABLE, '').replace(OTHER_STOPS, '.').toUpperCase().toLowerCase().normalize('NFKC');
}

/**
 * A path segment as the most lenient upstream might read it: escapes resolved, folded, blanks and dots at its ends cut.
 * Empty for what some reader could take for no segment at all, or for a step in the path.
 */
export function foldSegment(segment: string): string {
  if (PLAIN.test(segment)) return segment;
  return cutEnd(foldText(decoded(segment)).trimStart());
}

/** The readings of a segment: some upstreams also cut what stands behind a semicolon, even an escaped one. */
export function foldings(segment: string): readonly string[] {
  const whole = foldSegment(segment);
  const semicolon = whole.indexOf(';');
  return semicolon < 0 ? [whole] : [whole, cutEnd(whole.slice(0, semicolon))];
}

/** Escapes resolved; a segment that is not UTF-8 is read byte by byte, as older upstreams do. */
function decoded(segment: string): string {
  try {
    return decodeURIComponent(segment);
  } catch {
    return segment.replace(/%([0-9A-Fa-f]{2})/g, (_escape, hex: string) => String.fromCharCode(parseInt(hex, 16)));
  }
}

/** Without blanks and dots at the end; in one pass, because a caller chooses how many there are. */
export function cutEnd(text: string): string {
  let end = text.length;
  while (end > 0 && (text[end - 1] === '.' || text.slice(end - 1, end).trim() === '')) end--;
  return text.slice(0, end);
}
