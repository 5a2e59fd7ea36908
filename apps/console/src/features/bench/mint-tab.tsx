import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Copyable, Field, ProblemNotice } from '@virga/parts';
import type { MintInput, MintView } from '@virga/protocol';
import { useContext, useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../client/api';
import { apisQuery, apiQuery } from '../apis/queries';
import { BenchContext } from './bench-state';
import { benchIssuerQuery } from './queries';
import { TokenParts } from './token-parts';

const ALGORITHMS = ['RS256', 'PS256', 'ES256', 'ES384', 'EdDSA'] as const;
const LIVES = [
  [600, '10 minutes'],
  [86_400, 'a day'],
  [-60, 'expired a minute ago'],
] as const;

/** Test tokens by the bench's own issuer, which a draft may trust for one question and no release ever does. */
export function MintTab() {
  const { data: issuer } = useQuery(benchIssuerQuery);
  const { data: apis } = useQuery(apisQuery);
  const { set, aim } = useContext(BenchContext);
  const navigate = useNavigate();
  const [algorithm, setAlgorithm] = useState<MintInput['algorithm']>('ES256');
  const [claims, setClaims] = useState('{\n  "sub": "rider.north",\n  "client_id": "rider-tablet",\n  "aud": "",\n  "scope": ""\n}');
  const [header, setHeader] = useState('{ "typ": "at+jwt" }');
  const [life, setLife] = useState<number>(600);
  const mint = useMutation({
    mutationFn: () => {
      const now = Math.floor(Date.now() / 1000);
      return api.post<MintView>('/bench/tokens', {
        algorithm,
        claims: { iat: Math.min(now, now + life - 1), exp: now + life, ...parse(claims, 'Claims') },
        header: parse(header, 'The header'),
      });
    },
  });
  const fill = useMutation({
    mutationFn: async (id: string) =>
      api.get<{ resource: { identifier: string; scopes: { name: string }[] }; token: { audiences?: string[] } }>(`/apis/${apiQuery(id).queryKey[1]}`),
    onSuccess: (one, id) => {
      const before = parseQuietly(claims);
      setClaims(
        JSON.stringify(
          { ...before, aud: one.token.audiences?.[0] ?? one.resource.identifier, scope: one.resource.scopes.map((scope) => scope.name).join(' ') },
          null,
          2,
        ),
      );
      aim({ apiId: id, against: 'draft', trustBench: true });
    },
  });
  return (
    <div className="columns bench">
      <section className="stack">
        <div className="small quiet">
          Issuer {issuer && <Copyable text={issuer.issuer} />}. Tick “trust the bench’s own issuer” where a draft is asked; live traffic never takes these.
        </div>
        <Field id="mint-for" label="For an API: fills audience and scopes in">
          <select id="mint-for" defaultValue="" onChange={(event) => event.target.value && fill.mutate(event.target.value)}>
            <option value="">none in particular</option>
            {(apis?.items ?? []).map((item) => (
              <option key={item.id} value={item.id}>
                {item.name}
              </option>
            ))}
          </select>
        </Field>
        <div className="row fields">
          <Field id="mint-algorithm" label="Algorithm">
            <select id="mint-algorithm" value={algorithm} onChange={(event) => setAlgorithm(event.target.value as MintInput['algorithm'])}>
              {ALGORITHMS.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          </Field>
          <Field id="mint-life" label="Good for">
            <select id="mint-life" value={life} onChange={(event) => setLife(Number(event.target.value))}>
              {LIVES.map(([seconds, words]) => (
                <option key={seconds} value={seconds}>
                  {words}
                </option>
              ))}
            </select>
          </Field>
        </div>
        <Field id="mint-claims" label="Claims; iss, iat and exp are set unless they stand here">
          <textarea id="mint-claims" className="mono" rows={9} spellCheck={false} value={claims} onChange={(event) => setClaims(event.target.value)} />
        </Field>
        <Field id="mint-header" label="Header, beside alg and kid">
          <input id="mint-header" className="mono" value={header} onChange={(event) => setHeader(event.target.value)} />
        </Field>
        <ProblemNotice error={mint.error ?? fill.error} />
        <div>
          <Button variant="contained" disabled={mint.isPending} onClick={() => mint.mutate()}>
            Sign it
          </Button>
        </div>
      </section>
      <section className="stack">
        {!mint.data && <p className="quiet">The signed token will lie here, ready to be verified, tampered with, or sent by the probe against the draft.</p>}
        {mint.data && (
          <>
            <div className="row">
              <Copyable text={mint.data.token} shown="copy it" />
              <button
                className="link"
                onClick={() => {
                  set({ paste: mint.data.token, token: mint.data.token, proof: '' });
                  aim({ against: 'draft', trustBench: true });
                  void navigate('/bench');
                }}
              >
                verify it
              </button>
              <button
                className="link"
                onClick={() => {
                  set({ paste: mint.data.token, token: mint.data.token, proof: '' });
                  aim({ against: 'draft', trustBench: true });
                  void navigate('/bench/tamper');
                }}
              >
                tamper with it
              </button>
            </div>
            <TokenParts token={mint.data.token} />
          </>
        )}
      </section>
    </div>
  );
}

function parse(text: string, what: string): Record<string, unknown> {
  if (text.trim() === '') return {};
  try {
    return JSON.parse(text) as Record<string, unknown>;
  } catch (error) {
    throw new Error(`${what}: this is no JSON: ${(error as Error).message}`);
  }
}

function parseQuietly(text: string): Record<string, unknown> {
  try {
    return JSON.parse(text) as Record<string, unknown>;
  } catch {
    return {};
  }
}
