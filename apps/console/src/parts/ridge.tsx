/** The sign of the product: rain that ends above a ridge. */
export function Ridge() {
  return (
    <svg width="30" height="25" viewBox="0 0 32 27" aria-hidden="true">
      <g fill="none" stroke="var(--rain)" strokeWidth="1.6">
        <path d="M8 2v5M13 1v7M19 1v4M24 2v6" />
      </g>
      <path d="M2 25 11 12l6 7 5-6 8 12" fill="none" stroke="var(--ink)" strokeWidth="2.4" strokeLinejoin="round" />
    </svg>
  );
}
