const escapeHtml = (text: string): string => text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);

/** A page that a provider's redirect ends at. @param goOn where it goes on by itself; null stays, with a way back */
export function portalPage(title: string, text: string, goOn: string | null): string {
  const refresh = goOn === null ? '' : `<meta http-equiv="refresh" content="0;url=${escapeHtml(goOn)}">`;
  return `<!doctype html><html lang="en"><meta charset="utf-8">${refresh}<title>${escapeHtml(title)}</title><link rel="stylesheet" href="/ended.css"><body data-state="${goOn === null ? 'stays' : 'goes-on'}"><h1>${escapeHtml(title)}</h1><p>${escapeHtml(text)}</p><p><a href="/">To the portal</a></p></body></html>`;
}
