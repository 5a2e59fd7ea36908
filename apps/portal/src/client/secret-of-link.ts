const taken = new Map<string, string>();

/**
 * What stands behind the hash of a link that was opened: taken out of the address, so that it stays in no history, and the same
 * however often it is asked for.
 */
export function secretOfLink(): string {
  const { hash, pathname } = window.location;
  if (hash.length > 1) {
    taken.set(pathname, hash.slice(1));
    window.history.replaceState(window.history.state, '', pathname);
  }
  return taken.get(pathname) ?? '';
}
