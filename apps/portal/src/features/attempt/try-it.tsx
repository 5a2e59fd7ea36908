import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { AttemptAnswer, NeededProof, OfferedApiView, OfferedOperation } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { api as portal } from '../../client/api';
import { keepProof, useProofs } from '../../client/proofs';
import { useSession } from '../../client/site';
import { Answer } from './answer';
import { basicOf, composed, firstValues, parameterKey, placeOf } from './compose';
import { GetToken } from './get-token';
import { Samples } from './samples-view';

/** A call composed from the page, sent through the gateway with one's own proof; and the same call as code. */
export function TryIt({ api, operation }: { readonly api: OfferedApiView; readonly operation: OfferedOperation }) {
  const session = useSession();
  const proofs = useProofs();
  const { origin: address = '', pathname: basePath = '' } = URL.canParse(api.address) ? new URL(api.address) : {};
  const base = basePath === '/' ? '' : basePath;
  const [values, setValues] = useState(() => firstValues(operation, base));
  const [chosen, setChosen] = useState(0);
  const [type, setType] = useState(operation.bodies[0]?.type ?? '');
  const [body, setBody] = useState(operation.attempt.body ?? '');
  const needed = operation.needs[chosen] ?? null;
  const form = { basePath: base, values, needed, type, body };
  const run = useMutation({
    mutationFn: () => {
      const { method, target, headers, body: sent } = composed(operation, { ...form, proofs });
      return portal.post<AttemptAnswer>('/attempts', {
        apiId: api.id,
        method,
        target,
        headers: headers.map(([name, value]) => ({ name, value })),
        ...(sent === null ? {} : { body: sent }),
      });
    },
  });
  const may = session?.state === 'active' && !session.looks;
  return (
    <section className="try stack" aria-label="Try it">
      <h2>Try it</h2>
      {operation.needs.length > 1 && (
        <div className="field">
          <label htmlFor="needed">With</label>
          <select id="needed" value={chosen} onChange={(event) => setChosen(Number(event.target.value))}>
            {operation.needs.map(({ all }, index) => (
              <option key={index} value={index}>
                {all.length === 0 ? 'nothing' : all.map(({ kind }) => PROOFS[kind]).join(' and ')}
              </option>
            ))}
          </select>
        </div>
      )}
      {needed?.all.map((proof) => (
        <Proof key={placeOf(proof)} proof={proof} apiId={api.id} value={proofs.get(placeOf(proof)) ?? ''} />
      ))}
      {operation.parameters.map((one) => {
        const key = parameterKey(one);
        return (
          <div className="field" key={key}>
            <label htmlFor={`p ${key}`}>
              <span className="mono breaks">{one.name}</span> in the {one.in}
              {one.required && <b> *</b>}
            </label>
            <input id={`p ${key}`} className="mono" value={values[key] ?? ''} onChange={(event) => setValues({ ...values, [key]: event.target.value })} />
          </div>
        );
      })}
      {operation.bodies.length > 0 && (
        <>
          <div className="field">
            <label htmlFor="type">Content type</label>
            <select id="type" value={type} onChange={(event) => setType(event.target.value)}>
              {operation.bodies.map((one) => (
                <option key={one.type}>{one.type}</option>
              ))}
            </select>
          </div>
          <div className="field">
            <label htmlFor="body">Body</label>
            <textarea
              id="body"
              className="mono"
              rows={Math.min(12, Math.max(3, body.split('\n').length))}
              spellCheck={false}
              value={body}
              onChange={(event) => setBody(event.target.value)}
            />
          </div>
        </>
      )}
      {may ? (
        <div>
          <Button variant="contained" disabled={run.isPending || address === ''} onClick={() => run.mutate()}>
            {run.isPending ? 'Calling' : 'Call it'}
          </Button>
        </div>
      ) : (
        <p className="quiet">
          {session ? (
            'Calls can be tried by accounts that are approved.'
          ) : (
            <>
              <Link
                to={`/sign-in?${new URLSearchParams({ back: `/apis/${api.id}?${new URLSearchParams({ of: operation.operationId }).toString()}` }).toString()}`}
              >
                Sign in
              </Link>{' '}
              to call it from here.
            </>
          )}
        </p>
      )}
      <ProblemNotice error={run.error} />
      {run.data && <Answer answer={run.data} />}
      <Samples address={address} operation={operation} form={form} />
    </section>
  );
}

const PROOFS = { token: 'a token', key: 'a key', basic: 'name and secret', certificate: 'a certificate', other: 'something else' } as const;

function Proof({ proof, apiId, value }: { readonly proof: NeededProof; readonly apiId: string; readonly value: string }) {
  const place = placeOf(proof);
  const [name, setName] = useState('');
  const [secret, setSecret] = useState('');
  if (proof.kind === 'certificate' || proof.kind === 'other')
    return (
      <p className="notice">
        {proof.kind === 'certificate'
          ? 'A client certificate cannot be shown from here. Use the sample for curl with --cert and --key.'
          : 'This proof cannot be sent from here.'}
      </p>
    );
  if (proof.kind === 'basic') {
    const set = (own: string, other: string): void => {
      setName(own);
      setSecret(other);
      keepProof(place, own === '' ? '' : basicOf(own, other));
    };
    return (
      <div className="row fields">
        <div className="field">
          <label htmlFor="basic-name">Name</label>
          <input id="basic-name" autoComplete="off" value={name} onChange={(event) => set(event.target.value, secret)} />
        </div>
        <div className="field">
          <label htmlFor="basic-secret">Secret</label>
          <input id="basic-secret" type="password" autoComplete="off" value={secret} onChange={(event) => set(name, event.target.value)} />
        </div>
      </div>
    );
  }
  return (
    <div className="field">
      <label htmlFor={place}>{proof.kind === 'key' ? 'Your key' : 'Your token'}</label>
      <input id={place} className="mono" type="password" autoComplete="off" value={value} onChange={(event) => keepProof(place, event.target.value.trim())} />
      <span className="hint">It is sent with the call and kept nowhere; it is gone when you leave.</span>
      {proof.kind === 'token' && proof.providers.length > 0 && <GetToken apiId={apiId} proof={proof} onToken={(token) => keepProof(place, token)} />}
    </div>
  );
}
