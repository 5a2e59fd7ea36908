import { useQueryClient } from '@tanstack/react-query';
import type { SignInStart } from '@virga/protocol';
import { useCallback, useEffect, useState } from 'react';
import { api } from '../../client/api';

/** Opens the provider's own sign-in page for a persona; in a window of its own, or in this one where none can be opened. */
export function useSignIn(): { readonly start: (personaId: string) => Promise<void>; readonly waiting: boolean; readonly error: unknown } {
  const client = useQueryClient();
  const [waiting, setWaiting] = useState(false);
  const [error, setError] = useState<unknown>(null);
  useEffect(() => {
    const channel = new BroadcastChannel('virga-sign-in');
    channel.onmessage = () => {
      setWaiting(false);
      void client.invalidateQueries({ queryKey: ['personas'] });
    };
    return () => channel.close();
  }, [client]);
  const start = useCallback(async (personaId: string) => {
    setError(null);
    // Opened before the first wait, so that browsers see the click it belongs to.
    const popup = window.open('about:blank', 'virga-sign-in', 'width=520,height=640');
    try {
      const { url } = await api.post<SignInStart>(`/personas/${personaId}/sign-in`);
      setWaiting(true);
      if (popup) popup.location.href = url;
      else window.location.href = url;
    } catch (problem) {
      popup?.close();
      setError(problem);
    }
  }, []);
  return { start, waiting, error };
}
