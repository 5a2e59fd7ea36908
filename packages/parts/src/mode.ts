import { createContext, useEffect, useState } from 'react';

export type Mode = 'light' | 'dark';

const KEY = 'virga-mode';

export interface ModeState {
  readonly mode: Mode;
  toggle(): void;
}

export const ModeContext = createContext<ModeState>({ mode: 'light', toggle: () => undefined });

/** Light or dark: what was chosen here, or what the system prefers. */
export function useModeState(): ModeState {
  const [mode, setMode] = useState<Mode>(() => {
    const kept = localStorage.getItem(KEY);
    if (kept === 'light' || kept === 'dark') return kept;
    return matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
  });
  useEffect(() => {
    document.documentElement.dataset['theme'] = mode;
  }, [mode]);
  return {
    mode,
    toggle: () => {
      const next = mode === 'light' ? 'dark' : 'light';
      localStorage.setItem(KEY, next);
      setMode(next);
    },
  };
}
