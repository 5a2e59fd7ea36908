import type { ProviderView } from '@virga/protocol';
import { Mark, type MarkKind } from '../../parts/mark';

const STATES: Readonly<Record<ProviderView['state'], readonly [MarkKind, string]>> = {
  reachable: ['passed', 'reachable'],
  'last-good': ['would-refuse', 'served by its last good keys'],
  failing: ['refused', 'failing'],
  'not-asked': ['unknown', 'not asked yet'],
  'not-live': ['unknown', 'in the draft only'],
};

/** The state of a provider as the gateway sees it: a mark and a word. */
export function ProviderState({ provider }: { readonly provider: ProviderView }) {
  const [mark, word] = STATES[provider.state];
  return (
    <span style={{ whiteSpace: 'nowrap' }}>
      <Mark kind={mark} word={word} /> {word}
    </span>
  );
}
