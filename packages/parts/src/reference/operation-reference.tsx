import type { ReferenceAnswerView, ReferenceBodyView, ReferenceLine, ReferenceOperationView, ReferenceSchemaLine } from '@virga/protocol';
import type { ReactNode } from 'react';
import { Method } from '../method';

/** One operation for those who call it: what it takes and what it answers. Made of what the contract says alone. */
export function OperationReference({
  method,
  address,
  operation,
  after,
  needs,
}: {
  readonly method: string;
  /** Where it is called. */
  readonly address: string;
  readonly operation: ReferenceOperationView;
  /** What stands beside its head. */
  readonly after?: ReactNode;
  /** What a caller has to bring; left out, who may call it stands there in words. */
  readonly needs?: ReactNode;
}) {
  const { summary, description, deprecated, who, parameters, bodies, bodyRequired, answers } = operation;
  const places = [...new Set(parameters.map((one) => one.in))];
  return (
    <article className="stack" aria-label={`${method} ${address}`}>
      <div className="row spread" style={{ alignItems: 'baseline' }}>
        <h2 style={{ margin: 0, fontSize: 20 }}>
          {summary || 'This operation'}
          {deprecated && <span className="ochre small"> (no longer to be used)</span>}
        </h2>
        {after}
      </div>
      <p className="mono breaks" style={{ margin: 0 }}>
        <Method name={method} /> {address}
      </p>
      {description !== '' && <p style={{ margin: 0, maxWidth: '75ch', whiteSpace: 'pre-line' }}>{description}</p>}
      {needs ?? (
        <p style={{ margin: 0 }}>
          Who may call it: <b>{who}</b>
        </p>
      )}
      {places.map((place) => (
        <section key={place}>
          <h3>In {place === 'path' ? 'the path' : place === 'query' ? 'the query' : place === 'header' ? 'header fields' : 'cookies'}</h3>
          <Lines lines={parameters.filter((one) => one.in === place).map((one) => ({ ...one, depth: 0 }))} />
        </section>
      ))}
      {bodies.length > 0 && (
        <section>
          <h3>The body{bodyRequired ? '' : ', where there is one'}</h3>
          {bodies.map((body) => (
            <Body key={body.type} body={body} />
          ))}
        </section>
      )}
      <section>
        <h3>Answers</h3>
        {answers.map((answer) => (
          <Answer key={answer.status} answer={answer} />
        ))}
      </section>
    </article>
  );
}

function Answer({ answer: { status, description, headers, bodies } }: { readonly answer: ReferenceAnswerView }) {
  const plain = headers.length === 0 && bodies.length === 0;
  return (
    <details open={status.startsWith('2') && !plain} className="exchange">
      <summary>
        <b className="mono">{status}</b> {description}
      </summary>
      {plain && <p className="quiet small">without a body</p>}
      {headers.length > 0 && <Lines lines={headers.map((one: ReferenceLine) => ({ ...one, depth: 0 }))} label="Header fields" />}
      {bodies.map((body) => (
        <Body key={body.type} body={body} />
      ))}
    </details>
  );
}

function Body({ body: { type, lines, example } }: { readonly body: ReferenceBodyView }) {
  return (
    <div style={{ marginBottom: 10 }}>
      <p className="mono small quiet" style={{ margin: '4px 0' }}>
        {type}
      </p>
      {lines.length > 0 && <Lines lines={lines} />}
      {example !== null && (
        <pre className="sheet" style={{ maxHeight: 180 }}>
          {example}
        </pre>
      )}
    </div>
  );
}

function Lines({ lines, label }: { readonly lines: readonly ReferenceSchemaLine[]; readonly label?: string }) {
  return (
    <table className="list dense" aria-label={label}>
      <tbody>
        {lines.map(({ depth, name, type, required, rules, description }, index) => (
          <tr key={index}>
            <td style={{ paddingLeft: 10 + depth * 18 }} className="breaks ref-name">
              <span className="mono">{name === '' ? 'the whole' : name}</span>
              {required && <b> *</b>}
            </td>
            <td className="small ref-type">{type}</td>
            <td className="small breaks">
              {description}
              {rules.length > 0 && <span className="quiet">{`${description === '' ? '' : ' '}${rules.join(', ')}`}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
