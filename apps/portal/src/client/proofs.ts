import { useSyncExternalStore } from 'react';

/** Proofs that somebody put in to try calls, by the place they travel in. In memory only: gone with the page. */
let kept: ReadonlyMap<string, string> = new Map();
const listeners = new Set<() => void>();

export function keepProof(place: string, value: string): void {
  kept = new Map(kept).set(place, value);
  for (const listener of listeners) listener();
}

const subscribe = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

export const useProofs = (): ReadonlyMap<string, string> => useSyncExternalStore(subscribe, () => kept);
