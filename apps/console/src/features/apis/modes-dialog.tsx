import { MODED_CHECKS, STEP_NAMES, type CheckMode, type ModedCheck } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { count } from '@virga/parts';
import type { ApiView, ModesDto, OperationView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';
import { Mark } from '../../parts/mark';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';
import { observedQuery } from '../../client/observed';

const ENFORCED: ModesDto = { all: 'enforce', checks: {} };

/** Says what refuses and what only observes: for the API, or for chosen operations. With what enforcing would have refused, before it is switched. */
export function ModesDialog(subject: RuleSubject) {
  const { api, operations } = subject;
  const before = operations === null ? api.modes : (onlyOne(subject)?.modes ?? null);
  const [modes, setModes] = useState<ModesDto | null>(before);
  return (
    <RuleDialog
      subject={subject}
      title={`What refuses, and what only observes: ${subjectWords(subject)}`}
      patch={{ modes: operations === null ? (modes ?? ENFORCED) : modes }}
    >
      <Counted api={api} operations={operations} />
      <ByCaller api={api} operations={operations} />
      <div className="stack" role="radiogroup" aria-label="Mode of all checks" style={{ gap: 6 }}>
        {operations !== null && (
          <label className="check">
            <input type="radio" name="all" checked={modes === null} onChange={() => setModes(null)} /> as the API says
          </label>
        )}
        <label className="check">
          <input type="radio" name="all" checked={modes?.all === 'enforce'} onChange={() => setModes({ all: 'enforce', checks: {} })} /> every check refuses
        </label>
        <label className="check">
          <input type="radio" name="all" checked={modes?.all === 'observe'} onChange={() => setModes({ all: 'observe', checks: {} })} /> every check only
          observes: whoever it would refuse gets in, and is counted
        </label>
      </div>
      {modes && <Single modes={modes} onChange={setModes} />}
    </RuleDialog>
  );
}

/** What enforcing would have refused. */
function Counted({ api, operations }: { readonly api: ApiView; readonly operations: readonly OperationView[] | null }) {
  const requests = operations?.reduce((sum, item) => sum + item.requests, 0) ?? api.requests;
  const would = operations?.reduce((sum, item) => sum + item.wouldRefuse, 0) ?? api.wouldRefuse;
  const operation = operations?.length === 1 ? operations[0]?.id : undefined;
  return (
    <p style={{ margin: 0 }}>
      <Mark kind={would > 0 ? 'would-refuse' : 'skipped'} word="would refuse" /> In the last 24 hours, of {count(requests)} requests{' '}
      {would === 0 ? (
        'nothing was observed that enforcing would have refused.'
      ) : (
        <>
          <Link to={withQuery('/traces', { outcome: 'would-refuse', api: api.id, operation })}>{count(would)} would have been refused</Link>.
        </>
      )}
    </p>
  );
}

const SHOWN = 8;

/** Whom it would have refused, of the requests whose traces are kept. */
function ByCaller({ api, operations }: { readonly api: ApiView; readonly operations: readonly OperationView[] | null }) {
  const { data } = useQuery(observedQuery(api.id));
  const wanted = operations && new Set(operations.map(({ id }) => id));
  const items = (data?.items ?? []).filter(({ operationId }) => wanted === null || wanted.has(operationId));
  if (items.length === 0) return null;
  return (
    <table className="list" aria-label="Whom it would have refused">
      <thead>
        <tr>
          <th>Caller</th>
          <th>Check</th>
          {operations?.length !== 1 && <th>Operation</th>}
          <th className="number">traces</th>
        </tr>
      </thead>
      <tbody>
        {items.slice(0, SHOWN).map((item) => {
          const { operationId, subject, client, address, step, stepName, requests } = item;
          const filter = { outcome: 'would-refuse', api: api.id, operation: operationId, step, subject: subject ?? undefined, client: client ?? undefined };
          return (
            <tr key={JSON.stringify(item)}>
              <td style={{ overflowWrap: 'anywhere' }}>{subject ?? client ?? `nobody known, from ${address ?? 'anywhere'}`}</td>
              <td>{stepName}</td>
              {operations?.length !== 1 && <td className="small">{operationId}</td>}
              <td className="number">
                <Link to={withQuery('/traces', { ...filter, ...(address === null ? {} : { text: address }) })}>{count(requests)}</Link>
              </td>
            </tr>
          );
        })}
        {items.length > SHOWN && (
          <tr>
            <td colSpan={4} className="quiet small">
              and {count(items.length - SHOWN)} more
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

/** Single checks that differ from the rest. */
function Single({ modes, onChange }: { readonly modes: ModesDto; readonly onChange: (modes: ModesDto) => void }) {
  const set = (check: ModedCheck, mode: CheckMode) => {
    const checks = { ...modes.checks };
    if (mode === modes.all) delete checks[check];
    else checks[check] = mode;
    onChange({ ...modes, checks });
  };
  return (
    <table className="list">
      <thead>
        <tr>
          <th>Check</th>
          <th>refuses</th>
          <th>observes</th>
        </tr>
      </thead>
      <tbody>
        {MODED_CHECKS.map((check) => (
          <tr key={check}>
            <td>{STEP_NAMES[check]}</td>
            {(['enforce', 'observe'] as const).map((mode) => (
              <td key={mode}>
                <input
                  type="radio"
                  name={check}
                  aria-label={`${STEP_NAMES[check]} ${mode === 'enforce' ? 'refuses' : 'observes'}`}
                  checked={(modes.checks[check] ?? modes.all) === mode}
                  onChange={() => set(check, mode)}
                />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
