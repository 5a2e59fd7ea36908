/** Blanks other than the plain one, and characters without a look of their own; those that join letters of some scripts are left out. */
const UNSEEN = /(?![ \u200c\u200d])[\s\p{Cc}\p{Cf}]/u;

/**
 * What of a text nobody sees who reads it, so that it looks like another one and is never found equal to it: null for nothing.
 * @returns the words for it, such as "a blank at its end"
 */
export function unseenIn(text: string): string | null {
  const hidden = UNSEEN.exec(text)?.[0];
  return (
    blankAtEnds(text) ??
    (hidden === undefined ? null : `a character that is not seen (U+${(hidden.codePointAt(0) ?? 0).toString(16).toUpperCase().padStart(4, '0')})`)
  );
}

/** The same of blanks at its ends alone, for texts of several lines. */
export function blankAtEnds(text: string): string | null {
  if (/^\s/.test(text)) return 'a blank at its beginning';
  return /\s$/.test(text) ? 'a blank at its end' : null;
}
