import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useQuery } from '@tanstack/react-query';
import type { CaseResultView } from '@virga/protocol';
import { useState } from 'react';
import { useStanding } from '../../client/standing';
import { Mark } from '../../parts/mark';
import { ProblemNotice } from '../../parts/problem-notice';
import { ChangeList } from './change-list';
import { caseRunQuery, useGoLive } from './queries';

/** Says what becomes live, takes a note, publishes. */
export function PublishDialog({ onClose }: { readonly onClose: () => void }) {
  const { data: standing } = useStanding();
  const [note, setNote] = useState('');
  const publish = useGoLive('/releases');
  const { data: cases, error } = useQuery(caseRunQuery);
  const [overruled, setOverruled] = useState<ReadonlySet<string>>(new Set());
  if (!standing) return null;
  const problems = standing.problems;
  const failing = (cases?.items ?? []).filter(({ holds }) => !holds);
  const overrule = (name: string, on: boolean) => setOverruled(new Set(on ? [...overruled, name] : [...overruled].filter((other) => other !== name)));
  return (
    <Dialog open onClose={onClose}>
      <DialogTitle>Publish to {standing.environment}</DialogTitle>
      <DialogContent className="stack">
        <ChangeList changes={standing.changes} total={standing.changeCount} />
        <div className="field">
          <label htmlFor="publish-note">Note, kept with the release</label>
          <input id="publish-note" value={note} maxLength={500} onChange={(event) => setNote(event.target.value)} autoFocus />
        </div>
        {problems.length > 0 && (
          <div className="notice wrong" role="alert">
            <b>The draft cannot be published.</b>
            {problems.map((item) => (
              <div key={item.pointer}>
                {item.detail} <span className="mono quiet small">{item.pointer}</span>
              </div>
            ))}
          </div>
        )}
        <Cases cases={cases?.items ?? null} overruled={overruled} onOverrule={overrule} />
        <ProblemNotice error={publish.error ?? error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Not yet</Button>
        <Button
          variant="contained"
          disabled={publish.isPending || problems.length > 0 || !cases || failing.some((one) => !overruled.has(caseName(one)))}
          onClick={() => publish.mutate({ note, overrule: [...overruled] }, { onSuccess: onClose })}
        >
          {publish.isPending ? 'Publishing…' : 'Publish'}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** What an overruled case is called by. */
const caseName = ({ authorizer, name }: CaseResultView): string => `${authorizer}: ${name}`;

/** Cases of authorizers as they come out for this draft; each that does not hold is overruled by its name, or stops the release. */
function Cases({
  cases,
  overruled,
  onOverrule,
}: {
  readonly cases: readonly CaseResultView[] | null;
  readonly overruled: ReadonlySet<string>;
  readonly onOverrule: (name: string, on: boolean) => void;
}) {
  if (cases === null) return <p className="quiet">Running the cases of authorizers…</p>;
  if (cases.length === 0) return null;
  const failing = cases.filter(({ holds }) => !holds);
  return (
    <section className="stack" style={{ gap: 6 }} aria-label="Cases of authorizers">
      <p style={{ margin: 0 }}>
        <Mark kind={failing.length === 0 ? 'passed' : 'refused'} word={failing.length === 0 ? 'holds' : 'does not hold'} />{' '}
        {failing.length === 0
          ? `All ${cases.length} ${cases.length === 1 ? 'case' : 'cases'} of authorizers hold.`
          : `${failing.length} of ${cases.length} cases of authorizers do not hold. The release waits until they do, or until each is overruled.`}
      </p>
      {failing.map((one) => (
        <div key={caseName(one)} style={{ overflowWrap: 'anywhere' }}>
          <label className="check">
            <input type="checkbox" checked={overruled.has(caseName(one))} onChange={(event) => onOverrule(caseName(one), event.target.checked)} /> overrule{' '}
            <b>{caseName(one)}</b>
          </label>
          <div className="small rust" style={{ paddingLeft: 23 }}>
            {one.sentence}
          </div>
        </div>
      ))}
    </section>
  );
}
