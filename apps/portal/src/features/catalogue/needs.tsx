import type { NeededProof, NeededProofs, OfferedOperation } from '@virga/protocol';

const KINDS = {
  token: 'a token',
  key: 'a key',
  basic: 'a name and a secret',
  certificate: 'a client certificate',
  other: 'something that this page cannot describe',
} as const;
const PLACES = { header: 'the header field', cookie: 'the cookie', query: 'the query parameter', connection: 'the connection' } as const;

/** One proof in words. */
function proofWords({ kind, place, name, scheme, scopes, roles }: NeededProof) {
  return (
    <>
      {KINDS[kind]} in {PLACES[place]}
      {name !== '' && (
        <>
          {' '}
          <code>{name}</code>
        </>
      )}
      {scheme !== '' && (
        <>
          {' '}
          as <code>{scheme}</code>
        </>
      )}
      {scopes.length > 0 && (
        <>
          {' '}
          with the {scopes.length === 1 ? 'scope' : 'scopes'} <code>{scopes.join(' ')}</code>
        </>
      )}
      {roles.length > 0 && ` and the role ${roles.join(' or ')}`}
    </>
  );
}

/** What a caller has to bring: one of these. */
export function Needs({ operation: { needs, asksPlan } }: { readonly operation: OfferedOperation }) {
  const free = needs.some(({ all }) => all.length === 0);
  return (
    <section>
      <h3>What is needed</h3>
      {needs.length === 0 && <p style={{ margin: 0 }}>Nobody can call it yet.</p>}
      {free && <p style={{ margin: 0 }}>Nothing: everybody may call it.</p>}
      {!free && needs.length > 0 && (
        <ul style={{ margin: 0, paddingLeft: 18 }}>
          {needs.map((one, index) => (
            <li key={index}>
              {index > 0 && 'or '}
              <Together proofs={one} />
            </li>
          ))}
        </ul>
      )}
      {asksPlan && <p style={{ margin: '4px 0 0' }}>The client needs a plan that opens it.</p>}
    </section>
  );
}

function Together({ proofs: { all } }: { readonly proofs: NeededProofs }) {
  return (
    <>
      {all.map((proof, index) => (
        <span key={index}>
          {index > 0 && ' together with '}
          {proofWords(proof)}
        </span>
      ))}
    </>
  );
}
