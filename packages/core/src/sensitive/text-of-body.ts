/** A body as a text that can be looked through; `other` where it is none by its type, `unread` where it should be one and cannot be read. */
export type BodyText =
  | { readonly kind: 'json'; readonly text: string }
  | { readonly kind: 'text'; readonly text: string }
  | { readonly kind: 'other'; readonly says: string }
  | { readonly kind: 'unread'; readonly says: string };

const UTF8 = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

const TEXT_TYPES = /^(?:text\/.+|application\/(?:xml|javascript|x-www-form-urlencoded|x-ndjson|yaml|x-yaml|graphql|sql|csv|.+\+(?:xml|yaml))|multipart\/.+)$/;
const JSON_TYPES = /^(?:application\/json|[^/]+\/.+\+json)$/;

/** Reads a body by its type. One without a type is read by how it begins. @param media in small letters, without parameters */
export function textOfBody(bytes: Uint8Array, media: string | null): BodyText {
  const json = media !== null && JSON_TYPES.test(media);
  if (media !== null && !json && !TEXT_TYPES.test(media)) return { kind: 'other', says: `${media} is no text` };
  let text: string;
  try {
    text = UTF8.decode(bytes);
  } catch {
    // Parts of a form may be anything; what of them is text can be looked through all the same.
    if (media?.startsWith('multipart/')) return { kind: 'text', text: new TextDecoder('latin1').decode(bytes) };
    return media === null ? { kind: 'other', says: 'it has no type and is no text' } : { kind: 'unread', says: 'it is no UTF-8' };
  }
  if (json && text.trim() === '') return { kind: 'text', text };
  if (json || (media === null && /^\s*[{[]/.test(text) && isJson(text))) return { kind: 'json', text };
  return { kind: 'text', text: media === 'application/x-www-form-urlencoded' ? decoded(text) : text };
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** A form with its escapes read, pair by pair. */
function decoded(form: string): string {
  return form
    .split('&')
    .map((pair) => {
      try {
        return decodeURIComponent(pair.replaceAll('+', ' '));
      } catch {
        return pair;
      }
    })
    .join('\n');
}
