import { count } from '@virga/parts';
import type { AuthorizerCost } from '@virga/protocol';

/** Requests that it was asked about, kept answers included. */
export const callsOf = ({ allowed, denied, signIn, failed }: AuthorizerCost): number => allowed + denied + signIn + failed;

/** A time in milliseconds, in as many digits as it is known to. */
export const milliseconds = (ms: number | null): string =>
  ms === null ? '' : ms < 1 ? `${Math.round(ms * 1000)} µs` : `${ms < 10 ? ms.toFixed(1) : Math.round(ms)} ms`;

/** What asking it cost since the nodes started. */
export function Cost({ cost }: { readonly cost: AuthorizerCost }) {
  const calls = callsOf(cost);
  return (
    <section>
      <h2>Since the nodes started</h2>
      {calls === 0 ? (
        <p className="quiet" style={{ margin: 0 }}>
          It was asked about no request.
        </p>
      ) : (
        <dl className="facts small" style={{ margin: 0 }}>
          <dt>asked</dt>
          <dd>{count(calls)}</dd>
          <dt>allowed</dt>
          <dd>{count(cost.allowed)}</dd>
          <dt>denied</dt>
          <dd>{count(cost.denied)}</dd>
          {cost.signIn > 0 && (
            <>
              <dt>sign in again</dt>
              <dd>{count(cost.signIn)}</dd>
            </>
          )}
          <dt>no answer</dt>
          <dd className={cost.failed > 0 ? 'rust' : ''}>{count(cost.failed)}</dd>
          <dt>from kept answers</dt>
          <dd>{Math.round((100 * cost.kept) / calls)} of 100</dd>
          <dt>half within</dt>
          <dd>{milliseconds(cost.p50) || 'none was made'}</dd>
          <dt>95 of 100 within</dt>
          <dd>{milliseconds(cost.p95)}</dd>
          <dt>99 of 100 within</dt>
          <dd>{milliseconds(cost.p99)}</dd>
        </dl>
      )}
    </section>
  );
}
