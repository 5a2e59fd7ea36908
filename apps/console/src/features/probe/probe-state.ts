import type { ProbeInput, ProbeView } from '@virga/protocol';
import { createContext, useCallback, useMemo, useState } from 'react';

export type ProbeForm = Required<Pick<ProbeInput, 'method' | 'target' | 'sender' | 'against' | 'forward'>> & {
  readonly headers: string;
  readonly body: string;
  readonly token: string;
  readonly personaId: string;
  /** For the draft: the address that it pretends to come from; empty for that of the control plane. */
  readonly from: string;
  readonly proof: NonNullable<ProbeInput['proof']>;
};

const EMPTY: ProbeForm = {
  method: 'GET',
  target: '/',
  sender: 'nobody',
  against: 'draft',
  forward: false,
  headers: '',
  body: '',
  token: '',
  personaId: '',
  from: '',
  proof: 'access-token',
};

/** What came of a request, with the request as it was sent. */
export interface SentProbe extends ProbeView {
  readonly sent: ProbeForm;
  /** Milliseconds since the epoch. */
  readonly at: number;
}

export interface ProbeState {
  readonly open: boolean;
  readonly form: ProbeForm;
  readonly result: SentProbe | null;
  toggle(): void;
  show(): void;
  set(change: Partial<ProbeForm>): void;
  /** Fills the form in and opens the drawer. */
  compose(change: Partial<ProbeForm>): void;
  setResult(result: SentProbe | null): void;
}

const nothing = () => undefined;
export const ProbeContext = createContext<ProbeState>({
  open: false,
  form: EMPTY,
  result: null,
  toggle: nothing,
  show: nothing,
  set: nothing,
  compose: nothing,
  setResult: nothing,
});

/** The composed request outlives the screens, so that nothing typed is lost. */
export function useProbeState(): ProbeState {
  const [open, setOpen] = useState(false);
  const [form, setForm] = useState(EMPTY);
  const [result, setResult] = useState<SentProbe | null>(null);
  const toggle = useCallback(() => setOpen((before) => !before), []);
  const show = useCallback(() => setOpen(true), []);
  const set = useCallback((change: Partial<ProbeForm>) => setForm((before) => ({ ...before, ...change })), []);
  const compose = useCallback(
    (change: Partial<ProbeForm>) => {
      set(change);
      setResult(null);
      setOpen(true);
    },
    [set],
  );
  return useMemo(() => ({ open, form, result, toggle, show, set, compose, setResult }), [open, form, result, toggle, show, set, compose]);
}
