import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Ago, Confirm, Copyable, ProblemNotice } from '@virga/parts';
import type { OwnClient, OwnCredential, OwnSecretMade } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { useSession } from '../../client/site';
import { clientsOf } from './queries';
import { Redirects } from './redirects';
import { Register } from './register-client';

const KINDS = { key: 'key', basic: 'name and secret', certificate: 'certificate', 'provider-client': 'client of a provider' } as const;
const OVERLAP_HOURS = 24;

/** What a program proves itself by. A secret is shown once, when it is made. */
export function Credentials({ client: one, teamId }: { readonly client: OwnClient; readonly teamId: string }) {
  const session = useSession();
  const client = useQueryClient();
  const [name, setName] = useState('');
  const [made, setMade] = useState<OwnSecretMade | null>(null);
  const [revoking, setRevoking] = useState<OwnCredential | null>(null);
  const base = `${clientsOf(teamId)}/${one.id}`;
  const done = async (result?: OwnSecretMade): Promise<void> => {
    if (result) setMade(result);
    setName('');
    await client.invalidateQueries({ queryKey: ['clients'] });
  };
  const make = useMutation({ mutationFn: () => api.post<OwnSecretMade>(`${base}/keys`, { name }), onSuccess: done });
  const rotate = useMutation({
    mutationFn: (id: string) => api.post<OwnSecretMade>(`${base}/keys/${id}/rotation`, { overlapHours: OVERLAP_HOURS }),
    onSuccess: done,
  });
  const revoke = useMutation({ mutationFn: (id: string) => api.remove(`${base}/credentials/${id}`), onSuccess: () => done() });
  const acts = session?.looks !== true;
  return (
    <section className="stack">
      <h2>Keys</h2>
      {made?.secret && <Secret secret={made.secret} onAway={() => setMade(null)} />}
      {one.credentials.length === 0 && !made && <p className="quiet">It has none yet.</p>}
      {one.credentials.length > 0 && (
        <div className="scrolls">
          <table className="list" aria-label="Keys">
            <tbody>
              {one.credentials.map((credential) => (
                <tr key={credential.id} className={credential.state === 'good' ? '' : 'quiet'}>
                  <td className="breaks">
                    <b>{credential.name}</b>
                    <div className="small">{KINDS[credential.kind]}</div>
                  </td>
                  <td className="mono small breaks">{credential.kind === 'key' ? `${credential.hint}…` : credential.hint}</td>
                  <td>
                    <State credential={credential} />
                  </td>
                  <td className="small">
                    {credential.lastUsedAt === null ? (
                      'never used'
                    ) : (
                      <>
                        used <Ago at={credential.lastUsedAt} />
                      </>
                    )}
                  </td>
                  <td>
                    {acts && credential.state === 'good' && (
                      <span className="row" style={{ justifyContent: 'end' }}>
                        {(credential.kind === 'key' || credential.kind === 'basic') && !credential.replaced && (
                          <button
                            className="link"
                            disabled={rotate.isPending}
                            title={`Both are accepted for ${OVERLAP_HOURS} hours`}
                            onClick={() => rotate.mutate(credential.id)}
                          >
                            rotate
                          </button>
                        )}
                        <Redirects base={base} credential={credential} />
                        <button className="link rust" onClick={() => setRevoking(credential)}>
                          revoke
                        </button>
                      </span>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <ProblemNotice error={make.error ?? rotate.error ?? revoke.error} />
      {acts && (
        <form
          className="row fields wrap"
          style={{ maxWidth: 620 }}
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate();
          }}
        >
          <div className="field">
            <label htmlFor="key-name">A new key, called</label>
            <input id="key-name" maxLength={100} placeholder="where it is used" value={name} onChange={(event) => setName(event.target.value)} />
          </div>
          <Button type="submit" variant="contained" disabled={name.trim() === '' || make.isPending}>
            Make a key
          </Button>
          <Register base={base} onMade={(result) => void done(result)} />
        </form>
      )}
      {revoking && (
        <Confirm
          title={`Revoke ${revoking.name}`}
          action="Revoke it"
          onYes={() => {
            revoke.mutate(revoking.id);
            setRevoking(null);
          }}
          onNo={() => setRevoking(null)}
        >
          Calls with it are refused at once. It cannot be taken back.
        </Confirm>
      )}
    </section>
  );
}

function State({ credential: { state, replaced, leaked, expiresAt } }: { readonly credential: OwnCredential }) {
  if (state !== 'good') return <>{state}</>;
  return (
    <>
      {leaked ? <b className="rust">found where others can read it: rotate or revoke it</b> : replaced ? 'another takes its place' : 'good'}
      {expiresAt !== null && (
        <>
          , ends <Ago at={expiresAt} />
        </>
      )}
    </>
  );
}

function Secret({ secret, onAway }: { readonly secret: string; readonly onAway: () => void }) {
  return (
    <div className="secret stack" role="status">
      <b>Put it away now: it is shown this once.</b>
      <div className="row wrap">
        <code data-secret>{secret}</code>
        <Copyable text={secret} shown="copy" />
      </div>
      <div>
        <Button variant="outlined" onClick={onAway}>
          I have put it away
        </Button>
      </div>
    </div>
  );
}
