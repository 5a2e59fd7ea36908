import type { InventoryKind } from '@virga/protocol';

export const KIND_WORDS: Readonly<Record<InventoryKind, string>> = {
  seen: 'in a contract and seen',
  'never-seen': 'in a contract, never seen',
  undocumented: 'seen, in no contract',
};

/** One of the three kinds of operations: a shape of its own each. */
export function KindMark({ kind, size = 12 }: { readonly kind: InventoryKind; readonly size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 12 12" role="img" aria-label={KIND_WORDS[kind]} style={{ flex: 'none', verticalAlign: '-0.1em' }}>
      <title>{KIND_WORDS[kind]}</title>
      <KindShape kind={kind} />
    </svg>
  );
}

/** The shape alone, in a square of 12. */
export function KindShape({ kind }: { readonly kind: InventoryKind }) {
  switch (kind) {
    case 'seen':
      return <rect x="2" y="2" width="8" height="8" fill="var(--rain)" />;
    case 'never-seen':
      return <rect x="2.6" y="2.6" width="6.8" height="6.8" fill="none" stroke="var(--pencil)" strokeWidth="1.2" />;
    case 'undocumented':
      return (
        <>
          <path d="M6 0.8 11.2 6 6 11.2 0.8 6Z" fill="none" stroke="var(--ochre)" strokeWidth="1.5" />
          <circle cx="6" cy="6" r="1.5" fill="var(--ochre)" />
        </>
      );
  }
}
