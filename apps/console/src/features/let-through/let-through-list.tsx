import type { LetThrough } from '@virga/core';

/** The smallest changes with which a refused request passes; each was decided. */
export function LetThroughList({ ways }: { readonly ways: readonly LetThrough[] }) {
  return (
    <ul className="plain-list">
      {ways.map(({ changes, hangsOn }) => (
        <li key={changes.map(({ words }) => words).join()} className="breaks">
          {changes.map(({ words, or }, index) => (
            <span key={words}>
              {index > 0 && <span className="quiet"> and </span>}
              {words}
              {or.length > 0 && <span className="quiet"> (or {or.join(', or ')})</span>}
            </span>
          ))}
          {hangsOn.length > 0 && <span className="quiet">; then it hangs on {hangsOn.join(', ')}</span>}
        </li>
      ))}
    </ul>
  );
}

/** Says that a search was ended: what it did not find may be there all the same. @param found ways that it found */
export function NotAllTried({ found }: { readonly found: number }) {
  return (
    <p className="quiet">
      {found === 0 ? 'Nothing was found in the time that is taken for it, and not all was tried.' : 'Not all was tried: there may be other ways.'}
    </p>
  );
}
