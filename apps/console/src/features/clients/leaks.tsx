import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, Copyable, count, Field, ProblemNotice } from '@virga/parts';
import type { LeakedCredential, LeakReport } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { leakRuleQuery, lookForLeaks, makeScanner, removeScanner, revokeCredential, setLeakRule } from './queries';
import { useClientChange } from '../../client/directory-change';

/** Credentials in texts that others can read: a log, a difference, a message. */
export function LeaksScreen() {
  const [text, setText] = useState('');
  const client = useQueryClient();
  const look = useMutation({ mutationFn: lookForLeaks, onSuccess: () => client.invalidateQueries({ queryKey: ['clients'] }) });
  return (
    <>
      <div className="page-head">
        <h1>Leaked keys</h1>
        <span className="quiet">keys are found by form and checksum, those brought along by their hash; nothing of the text is kept</span>
        <span className="after">
          <Link to="/clients">all clients</Link>
        </span>
      </div>
      <div className="columns">
        <section className="stack">
          <Field id="leak-text" label="Paste a log, a difference, a message">
            <textarea
              id="leak-text"
              className="mono small"
              rows={12}
              spellCheck={false}
              value={text}
              onChange={(event) => {
                setText(event.target.value);
                look.reset();
              }}
            />
          </Field>
          <div>
            <Button variant="contained" disabled={text.trim() === '' || look.isPending} onClick={() => look.mutate(text)}>
              {look.isPending ? 'Looking' : 'Look for keys'}
            </Button>
          </div>
          <ProblemNotice error={look.error} />
          {look.data && <Found report={look.data} onDone={() => look.mutate(text)} />}
        </section>
        <Scanner />
      </div>
    </>
  );
}

const STATES: Readonly<Record<LeakedCredential['state'], string>> = { good: 'accepted still', expired: 'expired', revoked: 'revoked' };

function Found({ report, onDone }: { readonly report: LeakReport; readonly onDone: () => void }) {
  const { found, unknown, lookAlikes, cut } = report;
  const others = [
    ...(unknown > 0 ? [`${count(unknown)} right by form and checksum that ${unknown === 1 ? 'belongs' : 'belong'} to no client here`] : []),
    ...(lookAlikes > 0 ? [`${count(lookAlikes)} that only ${lookAlikes === 1 ? 'begins' : 'begin'} like a key`] : []),
  ];
  return (
    <>
      {found.length === 0 && <p style={{ margin: 0 }}>No key of a client is in it.</p>}
      {found.length > 0 && (
        <DataTable
          items={found}
          label="Found"
          keyOf={({ credentialId }) => credentialId}
          columns={[
            { cell: ({ state }) => <Mark kind={state === 'good' ? 'refused' : 'skipped'} word={STATES[state]} /> },
            {
              head: 'What',
              cell: ({ name, hint, kind }) => (
                <>
                  <b>{name}</b> <span className="mono small">{kind === 'key' ? `${hint}…` : hint}</span>
                </>
              ),
            },
            { head: 'Client', cell: ({ clientId, clientName }) => <Link to={`/clients/${clientId}`}>{clientName}</Link> },
            { head: 'Owner', cell: ({ owner }) => owner || <span className="quiet">nobody named</span> },
            {
              head: 'Last used',
              className: 'small',
              cell: ({ lastUsedAt, lastUsedFrom }) =>
                lastUsedAt === null ? (
                  'never'
                ) : (
                  <>
                    <Ago at={lastUsedAt} />, {lastUsedFrom}
                  </>
                ),
            },
            {
              className: 'number',
              cell: (one) => (one.state === 'good' ? <Revoke one={one} onDone={onDone} /> : <span className="quiet">{STATES[one.state]}</span>),
            },
          ]}
        />
      )}
      {others.length > 0 && <p className="quiet">{others.join('; ')}.</p>}
      {cut && <p className="ochre">There is more than is looked through at one time. Paste the rest by itself.</p>}
    </>
  );
}

function Revoke({ one, onDone }: { readonly one: LeakedCredential; readonly onDone: () => void }) {
  const revoke = useClientChange(revokeCredential(one.clientId), onDone);
  return (
    <>
      <button className="link rust" disabled={revoke.isPending} onClick={() => revoke.mutate(one.credentialId)}>
        revoke at once
      </button>
      <ProblemNotice error={revoke.error} />
    </>
  );
}

/** A scanner of the engineer's own that posts what it finds. */
function Scanner() {
  const { data: rule } = useQuery(leakRuleQuery);
  const client = useQueryClient();
  const settle = () => client.invalidateQueries({ queryKey: ['leaks'] });
  const set = useMutation({ mutationFn: setLeakRule, onSuccess: settle });
  const make = useMutation({ mutationFn: makeScanner, onSuccess: settle });
  const remove = useMutation({
    mutationFn: removeScanner,
    onSuccess: async () => {
      make.reset();
      await settle();
    },
  });
  if (!rule) return null;
  const url = `${location.origin}/scanner/v1/leaks`;
  return (
    <section className="stack">
      <h2>A scanner</h2>
      <p style={{ margin: 0 }}>
        A program that looks through repositories or logs posts texts to <span className="mono breaks">{url}</span> as{' '}
        <span className="mono">{'{ "text": … }'}</span>, with a credential that opens nothing else.
      </p>
      <div role="radiogroup" aria-labelledby="leak-rule">
        <div id="leak-rule">What becomes of a key that it finds</div>
        {(
          [
            ['by-hand', 'it is told of under what needs attention'],
            ['at-once', 'it is revoked at once'],
          ] as const
        ).map(([value, words]) => (
          <label key={value} className="check" style={{ display: 'block' }}>
            <input type="radio" name="leak-rule" checked={rule.revoke === value} onChange={() => set.mutate({ revoke: value })} /> {words}
          </label>
        ))}
      </div>
      {make.data && (
        <div className="stack" style={{ gap: 4 }}>
          <pre className="sheet" style={{ whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }} data-secret>
            {make.data.secret}
          </pre>
          <div>
            <Copyable text={make.data.secret} shown="copy it" /> <span className="ochre">It is shown this once.</span>
          </div>
        </div>
      )}
      <p className="quiet" style={{ margin: 0 }}>
        {rule.scannerMadeAt === null ? (
          'No scanner has a credential.'
        ) : (
          <>
            Its credential was made <Ago at={rule.scannerMadeAt} />;{' '}
            {rule.lastToldAt === null ? (
              'it has told of nothing yet'
            ) : (
              <>
                it last told of a text <Ago at={rule.lastToldAt} />
              </>
            )}
            .
          </>
        )}
      </p>
      <div className="row">
        <Button variant="outlined" onClick={() => make.mutate()} disabled={make.isPending}>
          {rule.scannerMadeAt === null ? 'Make a credential for it' : 'Make it anew'}
        </Button>
        {rule.scannerMadeAt !== null && (
          <button className="link rust" onClick={() => remove.mutate()}>
            take it back
          </button>
        )}
      </div>
      <ProblemNotice error={set.error ?? make.error ?? remove.error} />
    </section>
  );
}
