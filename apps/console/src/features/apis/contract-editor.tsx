import Button from '@mui/material/Button';
import { queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { ApiView, ContractReading, ContractText, ReimportView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { api as control, ApiProblem } from '../../client/api';
import { LeaveGuard } from '../../parts/leave-guard';
import { Changes } from './contract-changes';

const ContractTextEditor = lazy(() => import('../../parts/contract-text-editor'));
const TextDiff = lazy(() => import('../../parts/text-diff'));

const liveQuery = (id: string) =>
  queryOptions({
    queryKey: ['apis', id, 'contract', 'live'],
    queryFn: () =>
      control.get<ContractText>(`/apis/${id}/contract/live`).catch((error: unknown) => {
        if (error instanceof ApiProblem && error.status === 404) return null;
        throw error;
      }),
  });

/** How long a text is left alone before it is read, milliseconds. */
const READ_AFTER_MS = 500;

/** The contract of the draft, edited in place: with help and problems while one types, and what it changes before it is taken. */
export function ContractEditor({
  api,
  contract,
  line,
  onClose,
}: {
  readonly api: ApiView;
  readonly contract: ContractText;
  readonly line?: number | undefined;
  readonly onClose: () => void;
}) {
  const [text, setText] = useState(contract.text);
  const [settled, setSettled] = useState(contract.text);
  const [began] = useState(api.revision);
  const [against, setAgainst] = useState<'draft' | 'live' | null>(null);
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), READ_AFTER_MS);
    return () => clearTimeout(timer);
  }, [text]);
  const reading = useQuery({
    queryKey: ['contracts', 'read', settled],
    queryFn: () => control.post<ContractReading>('/contracts/read', { text: settled }),
    retry: false,
    gcTime: 0,
  });
  const live = useQuery({ ...liveQuery(api.id), enabled: against === 'live' });
  const look = useMutation({ mutationFn: () => control.put<ReimportView>(`/apis/${api.id}/contract`, { source: { text }, dryRun: true }) });
  const take = useMutation({
    mutationFn: (over: boolean) => control.put<ReimportView>(`/apis/${api.id}/contract`, { source: { text } }, over ? null : began),
    onSuccess: async (view) => {
      enqueueSnackbar(view.changes.length === 0 ? 'Taken into the draft' : `${view.changes.length} operations changed in the draft`);
      await client.invalidateQueries();
      onClose();
    },
  });
  const changed = text !== contract.text;
  const problems = useMemo(() => reading.data?.problems ?? [], [reading.data]);
  const errors = problems.filter(({ severity }) => severity === 'error');
  const stale = take.error instanceof ApiProblem && take.error.status === 412;
  const before = against === 'live' ? live.data?.text : contract.text;
  return (
    <section className="stack">
      <LeaveGuard when={changed && !take.isPending && !take.isSuccess} />
      <div className="row spread wrap">
        <h2 style={{ margin: 0 }}>The contract of the draft</h2>
        <span className="small" role="status">
          {reading.isFetching || text !== settled ? (
            <span className="quiet">reading…</span>
          ) : reading.error ? (
            <span className="rust">it cannot be read</span>
          ) : (
            <span className={errors.length > 0 ? 'rust' : 'quiet'}>
              {reading.data?.operationCount ?? 0} operations, {errors.length === 0 ? 'no error' : errors.length === 1 ? 'one error' : `${errors.length} errors`}
              {problems.length > errors.length && `, ${problems.length - errors.length} notices`}
            </span>
          )}
        </span>
      </div>
      <ProblemNotice error={reading.error ?? look.error ?? take.error} />
      {stale && (
        <button type="button" className="link rust" onClick={() => take.mutate(true)}>
          set mine over it
        </button>
      )}
      <div className={against === null ? '' : 'columns'} style={against === null ? {} : { gap: 14 }}>
        <Suspense fallback={<p className="quiet">Opening the editor…</p>}>
          <ContractTextEditor
            height="calc(100vh - 400px)"
            value={text}
            format={contract.format}
            problems={problems}
            line={line}
            onChange={(next) => (setText(next), look.reset())}
          />
        </Suspense>
        {against !== null && before !== undefined && (
          <Suspense fallback={<p className="quiet">Comparing…</p>}>
            <TextDiff
              before={before}
              after={text}
              format={contract.format}
              label={`Against ${against === 'live' ? 'what is live' : 'the draft'}`}
              height="calc(100vh - 400px)"
            />
          </Suspense>
        )}
        {against === 'live' && live.data === null && <p className="quiet">This API has no contract that is live.</p>}
      </div>
      {errors.slice(0, 5).map(({ line: at, message }, index) => (
        <p key={index} className="rust small" style={{ margin: 0 }}>
          {at === null ? '' : `line ${at}: `}
          {message}
        </p>
      ))}
      <div className="row wrap">
        <Button
          variant="contained"
          disabled={!changed || take.isPending || (reading.data !== undefined && !reading.data.usable)}
          onClick={() => take.mutate(false)}
        >
          Take it into the draft
        </Button>
        <Button variant="outlined" disabled={!changed || look.isPending} onClick={() => look.mutate()}>
          See what it changes
        </Button>
        <Button onClick={onClose}>{changed ? 'Leave the changes' : 'Leave it'}</Button>
        <span className="small" style={{ marginLeft: 'auto' }}>
          beside it:{' '}
          {(['draft', 'live', null] as const).map((one) => (
            <button
              key={String(one)}
              className="link"
              aria-pressed={against === one}
              style={{ marginLeft: 8, fontWeight: against === one ? 700 : 400 }}
              onClick={() => setAgainst(one)}
            >
              {one === null ? 'nothing' : one === 'live' ? 'what differs from live' : 'what was changed'}
            </button>
          ))}
        </span>
      </div>
      {look.data && (look.data.changes.length === 0 ? <p>No operation is added, removed or changed.</p> : <Changes changes={look.data.changes} />)}
    </section>
  );
}
