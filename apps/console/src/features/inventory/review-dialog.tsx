import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, count, Method, ProblemNotice } from '@virga/parts';
import type { InventoryItem, LearnedView, ReviewInput } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { lazy, Suspense, useDeferredValue, useState } from 'react';
import { api } from '../../client/api';
import { EvidenceTable } from './evidence-table';
import { CREDENTIAL_WORDS } from './inventory-tree';
import { learnedQuery, reviewQuery } from './queries';

const TextDiff = lazy(() => import('../../parts/text-diff'));
const CodeEditor = lazy(() => import('../../parts/code-editor'));

/** An operation that was learned, beside the contract: taken whole or in parts, written by hand, or dismissed. */
export function ReviewDialog({ item, onClose }: { readonly item: InventoryItem; readonly onClose: () => void }) {
  const { data, error } = useQuery(learnedQuery(item.apiId, item.key));
  return (
    <Dialog open onClose={onClose} maxWidth="xl" fullWidth>
      <DialogTitle style={{ overflowWrap: 'anywhere' }}>
        <Method name={item.method} /> <span className="mono">{item.basePath + item.path}</span>{' '}
        <span className="quiet small" style={{ fontWeight: 400 }}>
          was seen and is in no contract
        </span>
      </DialogTitle>
      {data ? (
        <Review item={item} learned={data} onClose={onClose} />
      ) : (
        <>
          <DialogContent>{error ? <ProblemNotice error={error} /> : <p className="quiet">Reading…</p>}</DialogContent>
          <DialogActions>
            <Button onClick={onClose}>Leave it</Button>
          </DialogActions>
        </>
      )}
    </Dialog>
  );
}

type Requirement = ReviewInput['requirement'];

function Review({ item, learned, onClose }: { readonly item: InventoryItem; readonly learned: LearnedView; readonly onClose: () => void }) {
  const { apiId, key } = item;
  const [scheme = ''] = learned.schemes;
  const [leaveOut, setLeaveOut] = useState<ReadonlySet<string>>(new Set());
  // Nobody gets in because nobody said anything: public has to be said.
  const [requirement, setRequirement] = useState<Requirement | ''>(learned.apiAsks ? 'as-api' : scheme === '' ? '' : 'scheme');
  const [named, setNamed] = useState(scheme);
  const [written, setWritten] = useState<string | null>(null);
  const operation = useDeferredValue(written);
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const input: ReviewInput = {
    key,
    leaveOut: [...leaveOut],
    requirement: requirement === '' ? 'as-api' : requirement,
    ...(requirement === 'scheme' ? { scheme: named } : {}),
    ...(operation === null ? {} : { operation }),
  };
  const review = useQuery({ ...reviewQuery(apiId, input), enabled: requirement !== '' });
  const done = async (says: string): Promise<void> => {
    enqueueSnackbar(says);
    onClose();
    await client.invalidateQueries();
  };
  const take = useMutation({
    mutationFn: () => api.post(`/apis/${apiId}/learned/accept`, input),
    onSuccess: () => done('The contract of the draft has it now'),
  });
  const dismiss = useMutation({
    mutationFn: () => api.post(`/apis/${apiId}/learned/${learned.dismissed ? 'recall' : 'dismiss'}`, { key }),
    onSuccess: () => done(learned.dismissed ? 'It is listed again' : 'Dismissed; it stays so'),
  });
  const toggle = (pointer: string, taken: boolean): void => {
    const next = new Set(leaveOut);
    if (taken) next.delete(pointer);
    else next.add(pointer);
    setLeaveOut(next);
  };
  return (
    <>
      <DialogContent className="review">
        <section className="stack">
          <p className="quiet small">
            {count(learned.requests)} requests, first <Ago at={learned.firstAt} />, last <Ago at={learned.lastAt} />. By{' '}
            {learned.callers.map(({ name, count: own }) => `${name} (${count(own)})`).join(', ')}. They came with{' '}
            {learned.credentials.map(({ name, count: own }) => `${CREDENTIAL_WORDS[name] ?? name} (${count(own)})`).join(', ')}. Callers and times stand with
            what has others than these.
          </p>
          <EvidenceTable learned={learned} left={leaveOut} onToggle={toggle} fixed={written !== null} />
        </section>
        <section className="stack">
          <div className="row wrap">
            <label htmlFor="review-requirement">Who may call it:</label>
            <select
              id="review-requirement"
              className="plain"
              style={{ width: 260 }}
              value={requirement === 'scheme' ? `scheme ${named}` : requirement}
              onChange={(event) => {
                const [kind, own] = event.target.value.split(' ');
                setRequirement(kind as Requirement);
                if (own !== undefined) setNamed(own);
              }}
            >
              {requirement === '' && <option value="">say it</option>}
              {learned.apiAsks && <option value="as-api">what the API asks</option>}
              {learned.schemes.map((one) => (
                <option key={one} value={`scheme ${one}`}>
                  whoever meets {one}
                </option>
              ))}
              <option value="public">anyone: it is public</option>
            </select>
            <span className="quiet small">Scopes and roles are set with the operation afterwards.</span>
          </div>
          <div className="row small">
            {written === null ? (
              <button className="link" disabled={!review.data} onClick={() => setWritten(review.data?.operation ?? '')}>
                write it by hand
              </button>
            ) : (
              <button className="link" onClick={() => setWritten(null)}>
                take what was learned again
              </button>
            )}
          </div>
          {written !== null && (
            <Suspense fallback={<p className="quiet">Opening the editor…</p>}>
              <CodeEditor label="The operation" height="190px" value={written} format={review.data?.format ?? 'yaml'} onChange={setWritten} />
            </Suspense>
          )}
          <ProblemNotice error={review.error ?? take.error ?? dismiss.error} />
          {review.data && !review.error && (
            <Suspense fallback={<p className="quiet">Comparing…</p>}>
              <TextDiff
                before={review.data.before}
                after={review.data.after}
                format={review.data.format}
                label="What changes in the contract"
                height={written === null ? '400px' : '200px'}
              />
            </Suspense>
          )}
        </section>
      </DialogContent>
      <DialogActions>
        <button className="link" style={{ marginRight: 'auto', marginLeft: 16 }} disabled={dismiss.isPending} onClick={() => dismiss.mutate()}>
          {learned.dismissed ? 'list it again' : 'dismiss it: it is none of the contract’s business'}
        </button>
        <Button onClick={onClose}>Leave it</Button>
        <Button
          variant="contained"
          disabled={requirement === '' || !review.data || review.isError || review.isFetching || take.isPending}
          onClick={() => take.mutate()}
        >
          Take it into the draft
        </Button>
      </DialogActions>
    </>
  );
}
