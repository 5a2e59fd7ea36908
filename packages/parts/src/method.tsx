const READING = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE']);

/** An HTTP method; those that change state carry a line. */
export function Method({ name }: { readonly name: string }) {
  return <span className={READING.has(name) ? 'method' : 'method changes'}>{name}</span>;
}

/** A method and its path in one line. */
export function Call({ method, path }: { readonly method: string; readonly path: string }) {
  return (
    <span style={{ overflowWrap: 'anywhere' }}>
      <span style={{ display: 'inline-block', minWidth: 58 }}>
        <Method name={method} />
      </span>
      <span className="mono">{path}</span>
    </span>
  );
}
