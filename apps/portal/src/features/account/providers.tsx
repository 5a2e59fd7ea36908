import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { GoTo } from '@virga/protocol';
import { api } from '../../client/api';
import { useSite } from '../../client/site';

/** Ways in by providers that the operator opened. */
export function ProviderButtons({ invitation }: { readonly invitation?: string }) {
  const { providers } = useSite();
  const begin = useMutation({
    mutationFn: (providerId: string) => api.post<GoTo>('/sign-in', { providerId, ...(invitation === undefined ? {} : { invitation }) }),
    onSuccess: ({ goTo }) => window.location.assign(goTo),
  });
  if (providers.length === 0) return null;
  return (
    <div className="stack">
      {providers.map(({ id, label }) => (
        <Button key={id} variant="outlined" disabled={begin.isPending} onClick={() => begin.mutate(id)}>
          {label}
        </Button>
      ))}
      <ProblemNotice error={begin.error} />
    </div>
  );
}
