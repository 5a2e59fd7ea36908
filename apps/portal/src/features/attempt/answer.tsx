import { count } from '@virga/parts';
import type { AttemptAnswer } from '@virga/protocol';
import { refusalIn } from './refusal';

/** An answer as it came, and what a caller may know of why it was refused. */
export function Answer({ answer }: { readonly answer: AttemptAnswer }) {
  const { status, headers, body, bodyBytes, cut, tookMs, requestId } = answer;
  const refusal = refusalIn(answer);
  return (
    <div className="stack" style={{ gap: 8 }} aria-live="polite" data-answer={status}>
      <div>
        <b className={`mono ${status < 400 ? 'moss' : 'rust'}`}>{status}</b>{' '}
        <span className="quiet small">
          in {tookMs} ms, {count(bodyBytes)} bytes
        </span>
      </div>
      {refusal && (
        <div className="notice wrong">
          <b>{refusal.title}</b>
          {refusal.detail !== '' && <div>{refusal.detail}</div>}
          {refusal.places.map((place) => (
            <div key={place} className="small mono breaks">
              {place}
            </div>
          ))}
          <div>{refusal.next}</div>
          {requestId !== '' && (
            <div className="small">
              The operator finds it by <code className="breaks">{requestId}</code>.
            </div>
          )}
        </div>
      )}
      <details className="exchange">
        <summary>{headers.length} header fields</summary>
        <pre className="sheet">{headers.map(({ name, value }) => `${name}: ${value}`).join('\n')}</pre>
      </details>
      {body === null ? (
        <p className="quiet">The body is no text.</p>
      ) : body === '' ? (
        <p className="quiet">There is no body.</p>
      ) : (
        <pre className="sheet">{pretty(body)}</pre>
      )}
      {cut && <p className="quiet small">The body is longer and is cut here.</p>}
    </div>
  );
}

function pretty(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2);
  } catch {
    return text;
  }
}
