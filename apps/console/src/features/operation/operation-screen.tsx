import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { count, Method, ProblemNotice } from '@virga/parts';
import type { OperationCheckView, OperationPage } from '@virga/protocol';
import { useContext, useState } from 'react';
import { Link, useParams } from 'react-router';
import { withQuery } from '../../client/api';
import { Mark, type MarkKind } from '../../parts/mark';
import { AuthorizerDialog } from '../apis/authorizer-dialog';
import { ConditionDialog } from '../apis/condition-dialog-later';
import { AddressDialog } from '../apis/address-dialog';
import { AccessDialog } from '../apis/access-dialog';
import { ContractDialog } from '../apis/contract-dialog';
import { LimitsDialog } from '../apis/limits-dialog';
import { MessageDialog } from '../apis/message-dialog';
import { ModesDialog } from '../apis/modes-dialog';
import { apiQuery, operationQuery } from '../apis/queries';
import { TokenDialog } from '../apis/token-dialog';
import { ProbeContext } from '../probe/probe-state';

type Editing = 'addresses' | 'conditions' | 'authorizers' | 'access' | 'token' | 'message' | 'modes' | 'contract' | 'limits';

/** One operation: every check on its way, what each asks, its mode, where both were set, and what came of it. */
export function OperationScreen() {
  const { id = '', operationId = '' } = useParams();
  const { data: page, error } = useQuery({ ...operationQuery(id, operationId), refetchInterval: 10_000 });
  const { data: api } = useQuery(apiQuery(id));
  const [editing, setEditing] = useState<Editing | null>(null);
  const probe = useContext(ProbeContext);
  if (error) return <ProblemNotice error={error} />;
  if (!page || !api) return <p className="quiet">Reading…</p>;
  const { operation } = page;
  const close = () => setEditing(null);
  const edit = { api, operations: [operation], onClose: close };
  return (
    <>
      <div className="row" style={{ alignItems: 'baseline', fontSize: 20 }}>
        <Method name={operation.method} />
        <h1 className="mono" style={{ fontSize: 20, overflowWrap: 'anywhere' }}>
          <span className="quiet">{page.basePath}</span>
          {operation.path}
        </h1>
      </div>
      <p style={{ margin: '4px 0 16px' }}>
        {operation.summary && `${operation.summary}. `}
        <span className="quiet">
          Of <Link to={`/apis/${id}`}>{page.apiName}</Link>
          {operation.liveWho !== null && <b className="ochre">, not published as it stands here</b>}
        </span>
      </p>
      <div className="with-aside">
        <section>
          <Checks page={page} onEdit={setEditing} />
        </section>
        <aside className="stack" style={{ gap: 20 }}>
          <Traffic page={page} />
          <section className="stack" style={{ gap: 8 }}>
            <h2>Change it here</h2>
            <button className="link" onClick={() => setEditing('addresses')}>
              from where it may be called
            </button>
            <button className="link" onClick={() => setEditing('access')}>
              who may call
            </button>
            <button className="link" onClick={() => setEditing('token')}>
              what tokens must be
            </button>
            <button className="link" onClick={() => setEditing('conditions')}>
              on what conditions
            </button>
            <button className="link" onClick={() => setEditing('authorizers')}>
              what authorizers say
            </button>
            <button className="link" onClick={() => setEditing('limits')}>
              plan and limits
            </button>
            <button className="link" onClick={() => setEditing('message')}>
              what bodies may be
            </button>
            <button className="link" onClick={() => setEditing('contract')}>
              what of the contract is checked
            </button>
            <button className="link" onClick={() => setEditing('modes')}>
              what refuses, and what only observes
            </button>
          </section>
          <div>
            <Button variant="contained" onClick={() => probe.compose({ method: operation.method, target: page.basePath + operation.path })}>
              Try it from the probe
            </Button>
          </div>
        </aside>
      </div>
      {editing === 'addresses' && <AddressDialog {...edit} />}
      {editing === 'conditions' && <ConditionDialog {...edit} />}
      {editing === 'authorizers' && <AuthorizerDialog {...edit} />}
      {editing === 'access' && <AccessDialog {...edit} />}
      {editing === 'token' && <TokenDialog {...edit} />}
      {editing === 'limits' && <LimitsDialog {...edit} />}
      {editing === 'message' && <MessageDialog {...edit} />}
      {editing === 'modes' && <ModesDialog {...edit} />}
      {editing === 'contract' && <ContractDialog {...edit} />}
    </>
  );
}

const TABS: Readonly<Record<string, string>> = { upstream: 'upstream', message: 'bodies', headers: 'bodies' };
const SET_AT = { gateway: 'the gateway', api: 'the API', operation: 'this operation' } as const;
const MODES = { enforce: 'refuses', observe: 'observes' } as const;

/** The fall line as rules: what each asks, its mode, where it was set, what came of it. */
function Checks({ page, onEdit }: { readonly page: OperationPage; readonly onEdit: (part: Editing) => void }) {
  return (
    <table className="list fall-rules" aria-label="Checks of this operation, top to bottom">
      <thead>
        <tr>
          <th />
          <th>Asks</th>
          <th>Mode</th>
          <th>Set at</th>
          <th className="number">met</th>
          <th className="number">stopped</th>
          <th className="number">would stop</th>
        </tr>
      </thead>
      <tbody>
        {page.checks.map((check, index) => (
          <tr key={`${check.step} ${index}`}>
            <td>
              <Mark kind={markOf(check)} word={check.mode === 'observe' ? 'only observes' : 'must pass'} />
            </td>
            <td>
              <b>{check.name}</b> <span className="quiet">{check.asks}</span>
            </td>
            <td>
              {check.mode === null ? (
                <span className="quiet">always</span>
              ) : (
                <button
                  className={check.mode === 'observe' ? 'link ochre' : 'link'}
                  onClick={() => onEdit(check.part === 'contract' ? 'contract' : 'modes')}
                  title={`Set at ${SET_AT[check.modeSetAt]}`}
                >
                  {MODES[check.mode]}
                </button>
              )}
            </td>
            <td className="small">
              <SetAt check={check} page={page} onEdit={onEdit} />
            </td>
            <Count page={page} check={check} outcome="passed" number={check.passed} />
            <Count page={page} check={check} outcome="refused" number={check.refused} />
            <Count page={page} check={check} outcome="would-refuse" number={check.wouldRefuse} />
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const markOf = ({ mode, asks, step }: OperationCheckView): MarkKind =>
  mode === 'observe' ? 'would-refuse' : step === 'credential' && asks.startsWith('Nothing') ? 'skipped' : 'passed';

function SetAt({ check, page, onEdit }: { readonly check: OperationCheckView; readonly page: OperationPage; readonly onEdit: (part: Editing) => void }) {
  const words = SET_AT[check.setAt];
  if (check.part === 'fence') return <Link to="/addresses">{words}</Link>;
  if (check.part === 'sensitive') return <Link to={`/sensitive?api=${page.apiId}`}>{words}</Link>;
  if (check.part === 'guessing' || (check.part === 'limits' && check.setAt === 'gateway')) return <Link to="/limits">{words}</Link>;
  if (check.part === 'plan' || check.part === 'limits')
    return (
      <button className="link" onClick={() => onEdit('limits')}>
        {words}
      </button>
    );
  if (check.setAt === 'gateway') return <span className="quiet">{words}</span>;
  if (
    check.part === 'access' ||
    check.part === 'addresses' ||
    check.part === 'conditions' ||
    check.part === 'authorizers' ||
    check.part === 'contract' ||
    ((check.part === 'token' || check.part === 'message') && check.setAt === 'operation')
  ) {
    const part = check.part;
    return (
      <button className="link" onClick={() => onEdit(part)}>
        {words}
      </button>
    );
  }
  return <Link to={`/apis/${page.apiId}/${TABS[check.part] ?? 'access'}`}>{words}</Link>;
}

function Count({
  page,
  check,
  outcome,
  number,
}: {
  readonly page: OperationPage;
  readonly check: OperationCheckView;
  readonly outcome: string;
  readonly number: number;
}) {
  const { apiId, operation } = page;
  const link = withQuery('/traces', { api: apiId, operation: operation.id, outcome, ...(outcome === 'passed' ? {} : { step: check.step }) });
  return <td className="number">{number === 0 ? '' : outcome === 'passed' ? count(number) : <Link to={link}>{count(number)}</Link>}</td>;
}

function Traffic({ page }: { readonly page: OperationPage }) {
  const { operation, apiId } = page;
  const link = (outcome?: string) => withQuery('/traces', { api: apiId, operation: operation.id, outcome });
  return (
    <section>
      <h2>Last 24 hours</h2>
      <p style={{ margin: '0 0 4px' }}>
        <Link to={link()}>{count(operation.requests)} requests</Link>
      </p>
      <p style={{ margin: '0 0 4px' }}>
        <Mark kind="refused" /> <Link to={link('refused')}>{count(operation.refused)} refused</Link>
      </p>
      <p style={{ margin: 0 }}>
        <Mark kind="would-refuse" /> <Link to={link('would-refuse')}>{count(operation.wouldRefuse)} would have been refused</Link>
      </p>
    </section>
  );
}
