import { useQuery } from '@tanstack/react-query';
import { OperationReference, ProblemNotice } from '@virga/parts';
import type { OfferedApiView, OfferedOperation } from '@virga/protocol';
import { Link } from 'react-router';
import { TryIt } from '../attempt/try-it';
import { Needs } from './needs';
import { operationQuery } from './queries';

/** One operation: what it takes and answers, what is needed, and a place to try it. */
export function OperationPage({ api, operationId }: { readonly api: OfferedApiView; readonly operationId: string }) {
  const { data, error } = useQuery(operationQuery(api.id, operationId));
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  return (
    <div className="operation">
      <div>
        <OperationReference method={data.method} address={api.address + data.path} operation={data} needs={<Needs operation={data} />} />
        <Refusals api={api} operation={data} />
      </div>
      <TryIt key={operationId} api={api} operation={data} />
    </div>
  );
}

function Refusals({ api, operation: { refusals, plans } }: { readonly api: OfferedApiView; readonly operation: OfferedOperation }) {
  const own = api.plans.filter(({ id }) => plans.includes(id));
  return (
    <>
      <section>
        <h3>What the gateway may answer</h3>
        <table className="list dense">
          <tbody>
            {refusals.map(({ status, says }) => (
              <tr key={status}>
                <td className="mono" style={{ width: 60 }}>
                  {status}
                </td>
                <td>{says}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {own.length > 0 && (
        <section>
          <h3>Plans that open it</h3>
          <table className="list dense">
            <tbody>
              {own.map(({ id, name, says }) => (
                <tr key={id}>
                  <td style={{ width: 180 }}>
                    <Link to={`/apis/${api.id}/plans`}>{name}</Link>
                  </td>
                  <td>{says.length === 0 ? 'as much as you like' : says.join('; ')}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
    </>
  );
}
