const escapeHtml = (text: string): string => text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);

/** The page that a provider's redirect ends at. Its script tells the console, and for `fragment` sends the fragment on. */
export function callbackPage(title: string, text: string, state: 'done' | 'failed' | 'fragment'): string {
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>${escapeHtml(title)}</title><link rel="stylesheet" href="/callback.css"><body data-signed-in="${state === 'done'}" data-state="${state}"><h1>${escapeHtml(title)}</h1><p>${escapeHtml(text)}</p><script src="/callback.js"></script></body></html>`;
}
