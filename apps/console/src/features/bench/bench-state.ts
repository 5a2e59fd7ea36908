import type { BenchTarget } from '@virga/protocol';
import { createContext, useMemo, useState } from 'react';

/** What lies on the bench. It outlives the screens, lives in memory only, and is gone with the page. */
export interface BenchState {
  /** What was pasted, as it was. */
  readonly paste: string;
  /** The token that is looked at. */
  readonly token: string;
  /** A proof found beside it. */
  readonly proof: string;
  /** An API key that goes along. */
  readonly key: string;
  /** A second token, for comparison. */
  readonly second: string;
  readonly target: BenchTarget;
  set(change: Partial<Pick<BenchState, 'paste' | 'token' | 'proof' | 'key' | 'second'>>): void;
  aim(change: Partial<BenchTarget>): void;
}

const nothing = () => undefined;
const EMPTY = { paste: '', token: '', proof: '', key: '', second: '', target: { against: 'draft' as const } };
export const BenchContext = createContext<BenchState>({ ...EMPTY, set: nothing, aim: nothing });

export function useBenchState(): BenchState {
  const [held, setHeld] = useState<Omit<BenchState, 'set' | 'aim'>>(EMPTY);
  return useMemo(
    () => ({
      ...held,
      set: (change) => setHeld((before) => ({ ...before, ...change })),
      aim: (change) => setHeld((before) => ({ ...before, target: { ...before.target, ...change } })),
    }),
    [held],
  );
}
