import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { ProviderView } from '@virga/protocol';
import { useState } from 'react';
import { comparisonQuery } from './queries';

/** What the provider says of itself now, beside what is set here. Asked when somebody wants to know. */
export function Comparison({ provider }: { readonly provider: ProviderView }) {
  const [asked, setAsked] = useState(false);
  const { data, error, isFetching, refetch } = useQuery({ ...comparisonQuery(provider.id), enabled: asked });
  const ask = () => (asked ? void refetch() : setAsked(true));
  return (
    <section className="stack">
      <div className="row spread">
        <h2>What it says of itself</h2>
        <Button variant="outlined" disabled={isFetching} onClick={ask}>
          {isFetching ? 'Asking…' : 'Ask and compare'}
        </Button>
      </div>
      <ProblemNotice error={error} />
      {!data && <p className="quiet">Its metadata is held against what is set here, and every difference is named.</p>}
      {data && !data.said.ok && (
        <div className="notice wrong" role="alert">
          {data.said.problem}
        </div>
      )}
      {data?.said.ok && data.differences.length === 0 && <div className="notice fine">It says what is set here.</div>}
      {data && data.differences.length > 0 && (
        <table className="list">
          <thead>
            <tr>
              <th />
              <th>set here</th>
              <th>said by it</th>
            </tr>
          </thead>
          <tbody>
            {data.differences.map((item) => (
              <tr key={item.what}>
                <td>
                  {item.what}
                  <div className="quiet small">{item.means}</div>
                </td>
                <td className="mono small">{item.set}</td>
                <td className="mono small">{item.said}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data?.said.ok && (
        <dl className="facts small">
          {[
            ['key set', data.said.jwksUri],
            ['tokens from', data.said.tokenEndpoint],
            ['introspection', data.said.introspectionEndpoint],
            ['userinfo', data.said.userinfoEndpoint],
            ['grants', data.said.grantTypes.join(', ')],
          ].flatMap(([name, value]) =>
            value
              ? [
                  <div key={name} style={{ display: 'contents' }}>
                    <dt>{name}</dt>
                    <dd className="mono">{value}</dd>
                  </div>,
                ]
              : [],
          )}
        </dl>
      )}
    </section>
  );
}
