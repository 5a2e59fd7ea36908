import Button from '@mui/material/Button';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import type { SessionView } from '@virga/protocol';
import { useState, type FormEvent, type ReactNode } from 'react';
import { Ridge } from '../parts/ridge';
import { api, ApiProblem } from '../client/api';

/** Shows the sign-in until there is a session. */
export function SessionGate({ children }: { readonly children: ReactNode }) {
  const session = useQuery({ queryKey: ['session'], queryFn: () => api.get<SessionView>('/session'), staleTime: 60_000 });
  if (session.isPending) return null;
  if (!session.data || session.isError) return <SignIn away={session.error instanceof ApiProblem && session.error.status === 0} />;
  api.keepCsrfToken(session.data.csrfToken);
  return children;
}

function SignIn({ away }: { readonly away: boolean }) {
  const client = useQueryClient();
  const [problem, setProblem] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    setBusy(true);
    try {
      const session = await api.post<SessionView>('/session', { name: form.get('name'), password: form.get('password') });
      client.setQueryData(['session'], session);
    } catch (error) {
      setProblem(error instanceof ApiProblem ? [error.message, error.detail].filter(Boolean).join('. ') : String(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <main className="sign-in">
      <form className="stack" onSubmit={(event) => void submit(event)}>
        <div className="row">
          <Ridge />
          <h1>Virga Ridge</h1>
        </div>
        {away && <div className="notice wrong">The control plane cannot be reached. The gateway goes on serving.</div>}
        <div className="field">
          <label htmlFor="name">Name</label>
          <input id="name" name="name" autoComplete="username" defaultValue="operator" required />
        </div>
        <div className="field">
          <label htmlFor="password">Password</label>
          <input id="password" name="password" type="password" autoComplete="current-password" autoFocus required />
          <span className="hint">It was shown when the control plane was started for the first time.</span>
        </div>
        {problem && (
          <div className="notice wrong" role="alert">
            {problem}
          </div>
        )}
        <Button type="submit" variant="contained" disabled={busy}>
          Sign in
        </Button>
      </form>
    </main>
  );
}
