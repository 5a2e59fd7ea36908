import { createContext, useEffect, useState } from 'react';

export type Mode = 'light' | 'dark';

const KEY = 'virga-mode';

export interface ModeState {
  readonly mode: Mode;
  toggle(): void;
}

export const ModeContext = createContext<ModeState>({ mode: 'light', toggle: () => undefined });

const DARK = '(prefers-color-scheme: dark)';

function chosen(): Mode | null {
  const kept = localStorage.getItem(KEY);
  return kept === 'light' || kept === 'dark' ? kept : null;
}

/** Light or dark: what was chosen here, or what the system prefers, at this moment. */
export function useModeState(): ModeState {
  const [mode, setMode] = useState<Mode>(() => chosen() ?? (matchMedia(DARK).matches ? 'dark' : 'light'));
  useEffect(() => {
    const system = matchMedia(DARK);
    const follow = (): void => setMode(chosen() ?? (system.matches ? 'dark' : 'light'));
    system.addEventListener('change', follow);
    return () => system.removeEventListener('change', follow);
  }, []);
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
