import { Copyable } from '@virga/parts';
import type { ExchangeView } from '@virga/protocol';

/** HTTP exchanges with a provider, in order, each to be opened. */
export function ExchangeList({ exchanges }: { readonly exchanges: readonly ExchangeView[] }) {
  return (
    <div>
      <h2>What was said</h2>
      {exchanges.map((exchange, index) => (
        <details key={index} className="exchange" open={index === exchanges.length - 1}>
          <summary>
            <span className={exchange.status !== null && exchange.status < 400 ? 'quiet' : 'rust'}>{exchange.status ?? 'no answer'}</span>{' '}
            <span className="method">{exchange.method}</span> <span className="mono">{exchange.url}</span>{' '}
            <span className="quiet small">{exchange.tookMs} ms</span>
          </summary>
          <pre className="sheet">{asked(exchange)}</pre>
          <pre className="sheet">{answered(exchange)}</pre>
          <div className="small">
            <Copyable text={exchange.curl} shown="copy as a curl line" />
          </div>
        </details>
      ))}
    </div>
  );
}

const lines = (headers: ExchangeView['requestHeaders']): string => headers.map(({ name, value }) => `${name}: ${value}`).join('\n');

function asked({ method, url, requestHeaders, requestBody }: ExchangeView): string {
  return [`${method} ${new URL(url).pathname}${new URL(url).search}`, lines(requestHeaders), ...(requestBody ? ['', requestBody] : [])].join('\n');
}

function answered({ status, responseHeaders, responseBody }: ExchangeView): string {
  return [
    String(status ?? 'no answer'),
    lines(responseHeaders.filter(({ name }) => ['content-type', 'www-authenticate', 'cache-control', 'dpop-nonce'].includes(name))),
    '',
    responseBody,
  ].join('\n');
}
