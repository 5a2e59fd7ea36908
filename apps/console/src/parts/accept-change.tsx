import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { AcceptView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { lazy, Suspense } from 'react';
import { api } from '../client/api';

const TextDiff = lazy(() => import('./text-diff'));

/**
 * How the contract could say what traffic does: shown first, taken into the draft only then.
 * @param path where it is asked, with `input`
 */
export function AcceptChange({
  apiId,
  path,
  input,
  onDone,
}: {
  readonly apiId: string;
  readonly path: string;
  readonly input: unknown;
  readonly onDone?: () => void;
}) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const look = useMutation({ mutationFn: () => api.post<AcceptView>(path, input) });
  const take = useMutation({
    mutationFn: (text: string) => api.put(`/apis/${apiId}/contract`, { source: { text } }),
    onSuccess: async () => {
      look.reset();
      enqueueSnackbar('The contract of the draft accepts it now');
      await client.invalidateQueries();
      onDone?.();
    },
  });
  return (
    <section className="stack" style={{ gap: 8 }}>
      {!look.data && (
        <div>
          <Button variant="outlined" disabled={look.isPending} onClick={() => look.mutate()}>
            {look.isPending ? 'Looking…' : 'Let the contract accept this'}
          </Button>
        </div>
      )}
      <ProblemNotice error={look.error ?? take.error} />
      {look.data && (
        <>
          <p style={{ margin: 0 }}>The contract then {look.data.says}.</p>
          <Suspense fallback={<p className="quiet">Comparing…</p>}>
            <TextDiff before={look.data.before} after={look.data.after} format={look.data.format} label="What changes in the contract" />
          </Suspense>
          <div className="row">
            <Button variant="contained" disabled={take.isPending} onClick={() => take.mutate(look.data.after)}>
              Take it into the draft
            </Button>
            <Button onClick={() => look.reset()}>Leave it</Button>
          </div>
        </>
      )}
    </section>
  );
}
