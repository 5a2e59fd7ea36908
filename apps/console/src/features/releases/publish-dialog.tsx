import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import type { CaseResultView, StandingView, TrialReportView } from '@virga/protocol';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { useStanding } from '../../client/standing';
import { Mark } from '../../parts/mark';
import { trialsQuery } from '../trials/queries';
import { BeginningToRefuse } from './beginning-to-refuse';
import { ChangeList } from './change-list';
import { caseRunQuery, useGoLive } from './queries';
import { ReachDifference } from './reach-difference';

/** Everything that there is to see before a release: what changes, who reaches what else, trials, cases, what begins to refuse. */
export function PublishDialog({ onClose }: { readonly onClose: () => void }) {
  const { data: standing } = useStanding();
  return standing ? <Before standing={standing} onClose={onClose} /> : null;
}

function Before({ standing, onClose }: { readonly standing: StandingView; readonly onClose: () => void }) {
  const [note, setNote] = useState('');
  const publish = useGoLive('/releases');
  const { problems } = standing;
  const revision = JSON.stringify([standing.changeCount, standing.changes, standing.live?.number]);
  const usable = problems.length === 0;
  const { data: cases, error: casesError } = useQuery({ ...caseRunQuery, enabled: usable });
  const { data: trials, error: trialsError } = useQuery({ ...trialsQuery(revision), enabled: usable });
  const [overruled, setOverruled] = useState<ReadonlySet<string>>(new Set());
  const overrule = (name: string, on: boolean) => setOverruled(new Set(on ? [...overruled, name] : [...overruled].filter((other) => other !== name)));
  const failing = [
    ...(cases?.items ?? []).filter(({ holds }) => !holds).map(caseName),
    ...(trials?.items ?? []).filter(({ result }) => result === 'fails').map(({ name }) => name),
  ];
  const waits = usable && (!cases || !trials);
  return (
    <Dialog open onClose={onClose} maxWidth="lg" fullWidth>
      <DialogTitle>Publish to {standing.environment}</DialogTitle>
      <DialogContent>
        <div className="before">
          <div className="stack">
            <Part head={`${standing.changeCount === 1 ? '1 change' : `${standing.changeCount} changes`}`}>
              <div className="before-changes">
                <ChangeList changes={standing.changes} total={standing.changeCount} />
              </div>
            </Part>
            <div className="field">
              <label htmlFor="publish-note">Note, kept with the release</label>
              <input id="publish-note" value={note} maxLength={500} onChange={(event) => setNote(event.target.value)} autoFocus />
            </div>
          </div>
          <div className="stack">
            {!usable && (
              <div className="notice wrong" role="alert">
                <b>The draft cannot be published.</b>
                {problems.map((item) => (
                  <div key={item.pointer}>
                    {item.detail} <span className="mono quiet small">{item.pointer}</span>
                  </div>
                ))}
              </div>
            )}
            {usable && (
              <>
                <Part head="Reach">
                  <ReachDifference live={standing.live?.number ?? null} revision={revision} />
                </Part>
                <Part head="Trials">
                  <Trials trials={trials ?? null} overruled={overruled} onOverrule={overrule} />
                </Part>
                <Part head="Cases of authorizers">
                  <Cases cases={cases?.items ?? null} overruled={overruled} onOverrule={overrule} />
                </Part>
                {standing.live && (
                  <Part head="Begins to refuse">
                    <BeginningToRefuse live={standing.live.number} revision={revision} />
                  </Part>
                )}
              </>
            )}
          </div>
        </div>
        <ProblemNotice error={publish.error ?? casesError ?? trialsError} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Not yet</Button>
        <Button
          variant="contained"
          disabled={publish.isPending || !usable || waits || failing.some((name) => !overruled.has(name))}
          onClick={() => publish.mutate({ note, overrule: [...overruled] }, { onSuccess: onClose })}
        >
          {publish.isPending ? 'Publishing…' : 'Publish'}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function Part({ head, children }: { readonly head: string; readonly children: ReactNode }) {
  return (
    <section aria-label={head}>
      <h2 style={{ marginBottom: 4 }}>{head}</h2>
      {children}
    </section>
  );
}

/** What an overruled case is called by. */
const caseName = ({ authorizer, name }: CaseResultView): string => `${authorizer}: ${name}`;

interface Overruling {
  readonly overruled: ReadonlySet<string>;
  readonly onOverrule: (name: string, on: boolean) => void;
}

/** Something that does not hold: it is overruled by its name, or stops the release. */
function Failing({ name, sentence, overruled, onOverrule }: { readonly name: string; readonly sentence: string } & Overruling) {
  return (
    <div style={{ overflowWrap: 'anywhere' }}>
      <label className="check">
        <input type="checkbox" checked={overruled.has(name)} onChange={(event) => onOverrule(name, event.target.checked)} />{' '}
        <span>
          overrule <b>{name}</b>
        </span>
      </label>
      <div className="small rust" style={{ paddingLeft: 23 }}>
        {sentence}
      </div>
    </div>
  );
}

function Trials({ trials, ...overruling }: { readonly trials: TrialReportView | null } & Overruling) {
  if (trials === null) return <p className="quiet">Trying to get in…</p>;
  if (trials.items.length === 0) return <p className="quiet">Nothing to try: no operation asks who is calling.</p>;
  const failing = trials.items.filter(({ result }) => result === 'fails');
  return (
    <div className="stack" style={{ gap: 6 }}>
      <p style={{ margin: 0 }}>
        <Mark kind={failing.length === 0 ? 'passed' : 'refused'} word={failing.length === 0 ? 'nothing got through' : 'something got through'} />{' '}
        {failing.length === 0
          ? `Nothing got through in ${count(trials.holds)} trials`
          : `${count(failing.length)} of ${count(trials.holds + failing.length)} trials got through. The release waits until they do not, or until each is overruled`}
        {trials.observed > 0 && `; ${count(trials.observed)} more would only be observed`}
        {trials.notKnown > 0 && `; ${count(trials.notKnown)} hang on an authorizer`}. <Link to="/trials">Look at them</Link>
      </p>
      {failing.slice(0, 100).map(({ name, sentence }) => (
        <Failing key={name} name={name} sentence={sentence} {...overruling} />
      ))}
      {failing.length > 100 && <p className="quiet">and {count(failing.length - 100)} more, which cannot be overruled from here: mend what lets them in.</p>}
    </div>
  );
}

function Cases({ cases, ...overruling }: { readonly cases: readonly CaseResultView[] | null } & Overruling) {
  if (cases === null) return <p className="quiet">Running the cases of authorizers…</p>;
  if (cases.length === 0) return <p className="quiet">There are none.</p>;
  const failing = cases.filter(({ holds }) => !holds);
  return (
    <div className="stack" style={{ gap: 6 }}>
      <p style={{ margin: 0 }}>
        <Mark kind={failing.length === 0 ? 'passed' : 'refused'} word={failing.length === 0 ? 'holds' : 'does not hold'} />{' '}
        {failing.length === 0
          ? `All ${cases.length} ${cases.length === 1 ? 'case' : 'cases'} of authorizers hold.`
          : `${failing.length} of ${cases.length} cases of authorizers do not hold. The release waits until they do, or until each is overruled.`}
      </p>
      {failing.map((one) => (
        <Failing key={caseName(one)} name={caseName(one)} sentence={one.sentence} {...overruling} />
      ))}
    </div>
  );
}
