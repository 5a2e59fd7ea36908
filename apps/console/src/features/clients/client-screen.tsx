import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Ago, Confirm, Copyable, ProblemNotice } from '@virga/parts';
import type { ClientView, CredentialView } from '@virga/protocol';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { DataTable } from '../../parts/data-table';
import { Mark, type MarkKind } from '../../parts/mark';
import { ClientFacts } from './client-form';
import { ClientPlans } from './client-plans';
import { ClientOpens } from './client-opens';
import { ClientTeam } from './client-team';
import { ClientUse } from './client-use';
import { proofWords } from './client-list';
import { MakeCredential } from './make-credential';
import { RotateKey } from './rotate-key';
import { changeClient, clientQuery, removeClient, revokeCredential } from './queries';
import { useClientChange } from '../../client/directory-change';

/** One client: what it is, and what it proves itself with. */
export function ClientScreen() {
  const { id = '' } = useParams();
  const { data: one, error } = useQuery(clientQuery(id));
  const [removing, setRemoving] = useState(false);
  const [making, setMaking] = useState(false);
  const navigate = useNavigate();
  const toggle = useClientChange((enabled: boolean) => changeClient(id)({ enabled }));
  const remove = useClientChange(removeClient(id), () => void navigate('/clients'));
  if (error) return <ProblemNotice error={error} />;
  if (!one) return <p className="quiet">Reading…</p>;
  return (
    <>
      <div className="page-head" style={{ marginBottom: 8 }}>
        <h1>{one.name}</h1>
        <span className="quiet">
          client <Copyable text={one.id} />, {proofWords(one) || 'proves itself by nothing yet'}
          {!one.enabled && <b className="ochre"> switched off: nothing of it is accepted</b>}
        </span>
        <span className="after">
          <Link to={`/traces?client=${encodeURIComponent(one.id)}`}>its traces</Link>
          <Link to={`/traces?client=${encodeURIComponent(one.id)}&outcome=refused`}>its refusals</Link>
          <button className="link" onClick={() => toggle.mutate(!one.enabled)}>
            {one.enabled ? 'switch off' : 'switch on'}
          </button>
          <button className="link rust" onClick={() => setRemoving(true)}>
            take away
          </button>
          <Button variant="contained" onClick={() => setMaking(true)}>
            Give it a proof
          </Button>
        </span>
      </div>
      <ProblemNotice error={toggle.error ?? remove.error} />
      <Credentials client={one} />
      <ClientPlans client={one} />
      <ClientUse clientId={one.id} />
      <div className="columns" style={{ marginTop: 18 }}>
        <section className="stack">
          <h2>What it opens</h2>
          <ClientOpens clientId={one.id} />
        </section>
        <div className="stack">
          <ClientFacts client={one} key={one.id} />
          <ClientTeam client={one} />
        </div>
      </div>
      {making && <MakeCredential client={one} onClose={() => setMaking(false)} />}
      {removing && (
        <Confirm
          title={`Take ${one.name} away`}
          name={one.name}
          action="Take it away"
          onNo={() => setRemoving(false)}
          onYes={() => remove.mutate(undefined, { onSettled: () => setRemoving(false) })}
        >
          {proofWords(one) ? `${proofWords(one)} stop being accepted at once` : 'It has nothing that is accepted'}, and nobody can bring that back. To stop it
          for a while, switch it off.
        </Confirm>
      )}
    </>
  );
}

const KINDS: Readonly<Record<CredentialView['kind'], string>> = {
  key: 'API key',
  basic: 'name and secret',
  certificate: 'certificate',
  'provider-client': 'client of a provider',
};
const MARKS: Readonly<Record<CredentialView['state'], MarkKind>> = { good: 'passed', expired: 'skipped', revoked: 'refused' };

function Ends({ credential: { revokedAt, expiresAt } }: { readonly credential: CredentialView }) {
  if (revokedAt !== null)
    return (
      <>
        revoked <Ago at={revokedAt} />
      </>
    );
  return expiresAt === null ? 'never' : <Ago at={expiresAt} />;
}

function Credentials({ client }: { readonly client: ClientView }) {
  const [ending, setEnding] = useState<CredentialView | null>(null);
  const [rotating, setRotating] = useState<CredentialView | null>(null);
  const revoke = useClientChange(revokeCredential(client.id));
  return (
    <section className="stack">
      <h2>What it proves itself with</h2>
      {client.credentials.length === 0 && <p className="quiet">Nothing yet: it cannot call anything that asks who calls.</p>}
      <ProblemNotice error={revoke.error} />
      {client.credentials.length > 0 && (
        <DataTable
          items={client.credentials}
          rowClass={(one) => (one.state === 'good' ? '' : 'quiet')}
          columns={[
            { cell: (one) => <Mark kind={MARKS[one.state]} word={one.state} /> },
            {
              head: 'What',
              cell: (one) => (
                <>
                  <b>{one.name}</b> <span className="quiet small">{KINDS[one.kind]}</span>
                  {one.replacedBy !== null && one.state === 'good' && <span className="ochre small"> another takes its place</span>}
                  {one.leakedAt !== null && one.state === 'good' && <b className="rust small"> leaked</b>}
                </>
              ),
            },
            { head: 'Known by', className: 'mono small breaks', cell: (one) => (one.kind === 'key' ? <span className="whole">{one.hint}…</span> : one.hint) },
            { head: 'Ends', className: 'small', cell: (one) => <Ends credential={one} /> },
            {
              head: 'Made',
              className: 'small',
              cell: (one) => (
                <>
                  <Ago at={one.madeAt} />, {one.madeBy}
                </>
              ),
            },
            {
              head: 'Last used',
              className: 'small',
              cell: (one) =>
                one.lastUsedAt === null ? (
                  <span className="quiet">never</span>
                ) : (
                  <>
                    <Ago at={one.lastUsedAt} /> <span className="mono">{one.lastUsedFrom}</span>
                  </>
                ),
            },
            {
              className: 'number',
              cell: (one) =>
                one.state !== 'revoked' && (
                  <span className="row" style={{ justifyContent: 'flex-end' }}>
                    {(one.kind === 'key' || one.kind === 'basic') && one.replacedBy === null && (
                      <button className="link" onClick={() => setRotating(one)}>
                        rotate
                      </button>
                    )}
                    <button className="link rust" onClick={() => setEnding(one)}>
                      revoke
                    </button>
                  </span>
                ),
            },
          ]}
        />
      )}
      {rotating && <RotateKey client={client} credential={rotating} onClose={() => setRotating(null)} />}
      {ending && (
        <Confirm
          title={`Revoke “${ending.name}”`}
          action="Revoke at once"
          onNo={() => setEnding(null)}
          onYes={() => revoke.mutate(ending.id, { onSettled: () => setEnding(null) })}
        >
          Every request with this {KINDS[ending.kind]} is refused from now on, on all nodes. It cannot be taken back; give {client.name} another one first if it
          is to go on calling.
        </Confirm>
      )}
    </section>
  );
}
