import { compileClaimMap, readToken, recognise, stranger, UnreadToken, type ClaimMap, type PastedItem } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { useContext } from 'react';
import { Field } from '@virga/parts';
import { PrincipalFacts } from '../providers/claim-map-editor';
import { providersQuery } from '../providers/queries';
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
        {chosen && ['access-token', 'id-token', 'jwt'].includes(chosen.kind) && (
          <>
            <MadeOfIt token={chosen.text} />
            <KeepForm token={chosen.text} />
          </>
        )}
        {!chosen && <p className="quiet">Nothing lies on the bench. Get a token from a provider, mint one, or paste what you have.</p>}
      </section>
      <VerifyPanel token={chosen?.text ?? ''} />
    </div>
  );
}

/** The principal that the claim map of its provider makes of a token, proved or not. */
function MadeOfIt({ token }: { readonly token: string }) {
  const { data: providers } = useQuery(providersQuery);
  const read = readToken(token);
  if (read instanceof UnreadToken) return null;
  const issuer = String(read.claims['iss'] ?? '');
  const provider = providers?.items.find((item) => item.issuer === issuer);
  const { rule } = stranger(issuer);
  const known = provider ? { ...rule, id: provider.id, name: provider.name, claimMap: provider.claimMap as ClaimMap } : rule;
  return (
    <section aria-label="Principal that it makes">
      <h2>Principal, by the claim map of {provider ? provider.name : 'the standards: its issuer is not trusted'}</h2>
      <PrincipalFacts principal={compileClaimMap(known)(read.claims)} />
    </section>
  );
}
