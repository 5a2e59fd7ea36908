import { recognise, type PastedItem } from '@virga/core';
import { useContext } from 'react';
import { Field } from '../../parts/field';
import { BenchContext } from './bench-state';
import { KeepForm } from './kept-tab';
import { TokenParts } from './token-parts';
import { VerifyPanel } from './verify-panel';

const KIND_WORDS: Readonly<Record<PastedItem['kind'], string>> = {
  'access-token': 'access token',
  'id-token': 'ID token',
  jwt: 'signed JWT',
  'dpop-proof': 'DPoP proof',
  'encrypted-token': 'encrypted token',
  'opaque-token': 'opaque token',
  'cut-token': 'broken token',
  'pkce-verifier': 'opaque token or PKCE verifier',
  'key-set': 'key set',
  unknown: 'not known',
};

/** Paste anything; see what it is, what it says, and whether it would pass. */
export function ReadTab() {
  const { paste, token, set } = useContext(BenchContext);
  const items = recognise(paste);
  const take = (text: string) => {
    const found = recognise(text);
    const first = found.find((item) => item.kind !== 'dpop-proof') ?? found[0];
    set({ paste: text, token: first?.text ?? '', proof: found.find((item) => item.kind === 'dpop-proof' && item !== first)?.text ?? '' });
  };
  const chosen = items.find((item) => item.text === token) ?? items[0];
  return (
    <div className="columns bench">
      <section className="stack">
        <Field id="paste" label="A token, an Authorization header, a curl line, a HAR entry, a DPoP proof, a PKCE verifier: paste anything">
          <textarea id="paste" className="mono" rows={4} spellCheck={false} autoComplete="off" value={paste} onChange={(event) => take(event.target.value)} />
        </Field>
        {items.length > 1 && (
          <div className="row wrap" role="radiogroup" aria-label="Found in it">
            <span className="quiet small">found in it:</span>
            {items.map((item, index) => (
              <label key={index} className="check small">
                <input type="radio" name="found" checked={item === chosen} onChange={() => set({ token: item.text })} /> {KIND_WORDS[item.kind]} in {item.from}
              </label>
            ))}
          </div>
        )}
        {chosen && (
          <div>
            <h2 style={{ marginBottom: 2 }}>{KIND_WORDS[chosen.kind]}</h2>
            <div>{chosen.says}</div>
          </div>
        )}
        {chosen && chosen.text !== '' && chosen.kind !== 'key-set' && chosen.kind !== 'unknown' && <TokenParts token={chosen.text} />}
        {chosen && ['access-token', 'id-token', 'jwt'].includes(chosen.kind) && <KeepForm token={chosen.text} />}
        {!chosen && <p className="quiet">Nothing lies on the bench. Get a token from a provider, mint one, or paste what you have.</p>}
      </section>
      <VerifyPanel token={chosen?.text ?? ''} />
    </div>
  );
}
