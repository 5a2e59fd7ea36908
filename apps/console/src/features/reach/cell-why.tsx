import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { STEP_NAMES, type ExplainedCell } from '@virga/core';
import { useContext, useState } from 'react';
import { Link } from 'react-router';
import { ProblemNotice } from '@virga/parts';
import { FallLine } from '../../parts/fall-line';
import { Mark } from '../../parts/mark';
import { Why } from '../../parts/why';
import type { CellPlace, NamedCaller, TableAnswer } from '../../workers/suppose-messages';
import { ProbeContext } from '../probe/probe-state';
import { RuleLink } from '../traces/rule-link';
import { markOf, wordsOf } from './cells';
import { LetThroughList, NotAllTried } from '../let-through/let-through-list';
import { cellQuery } from './queries';
import { operationPath } from '../../client/places';

/** Why a caller can or cannot reach an operation, what would change that, and the way to the probe. */
export function CellWhy({
  table,
  at,
  operation,
  caller,
  compared,
}: {
  readonly table: TableAnswer;
  readonly at: number;
  readonly operation: number;
  readonly caller: number;
  readonly compared: boolean;
}) {
  const [side, setSide] = useState<CellPlace['side']>('after');
  const asked = table.operations[operation];
  const who = table.callers[caller];
  const there = table[side][operation]?.[caller] ?? null;
  const place = asked && who && there ? { side, apiId: asked.apiId, operationId: asked.operationId, callerId: who.id } : null;
  const { data: cell, error } = useQuery(cellQuery(place, at));
  if (!asked || !who) return null;
  return (
    <div className="stack">
      <div>
        <h2 style={{ overflowWrap: 'anywhere', marginBottom: 2 }}>
          <Mark kind={markOf(there)} /> {who.name}
        </h2>
        <div className="mono small" style={{ overflowWrap: 'anywhere' }}>
          <Link to={operationPath(asked.apiId, asked.operationId)}>
            {asked.method} {asked.path}
          </Link>
        </div>
        <div>{sentence(wordsOf(there))}</div>
        {who.note !== '' && <div className="quiet small">{sentence(who.note)}</div>}
      </div>
      {compared && (
        <div className="row">
          {(['before', 'after'] as const).map((one) => (
            <label key={one} className="check">
              <input type="radio" name="reach-side" checked={side === one} onChange={() => setSide(one)} />{' '}
              {one === 'before' ? 'before' : 'by the release looked at'}
            </label>
          ))}
        </div>
      )}
      <ProblemNotice error={error} />
      {cell && <Explained key={`${side} ${who.id} ${asked.operationId}`} cell={cell} who={who} asked={asked} />}
    </div>
  );
}

const sentence = (words: string): string => `${words.charAt(0).toUpperCase()}${words.slice(1)}.`;

function Explained({ cell, who, asked }: { readonly cell: ExplainedCell; readonly who: NamedCaller; readonly asked: TableAnswer['operations'][number] }) {
  const deciding = cell.steps.find(({ outcome }) => outcome === 'refuse') ?? null;
  const [open, setOpen] = useState(deciding);
  const probe = useContext(ProbeContext);
  const persona = who.kind === 'persona' ? who.id.slice('persona '.length) : null;
  return (
    <>
      <div>
        <Button
          variant="outlined"
          onClick={() =>
            probe.compose({
              method: asked.method,
              target: asked.path,
              against: 'draft',
              ...(persona === null
                ? { sender: who.kind === 'nobody' ? 'nobody' : 'token', token: '' }
                : { sender: 'persona', personaId: persona, proof: 'access-token' }),
            })
          }
        >
          Put it into the probe
        </Button>
      </div>
      {(cell.letThrough.length > 0 || cell.cut) && (
        <section>
          <h2>What would let it through</h2>
          <LetThroughList ways={cell.letThrough} />
          {cell.cut && <NotAllTried found={cell.letThrough.length} />}
        </section>
      )}
      {cell.held.length > 0 && (
        <section>
          <h2>What it is let in by</h2>
          <ul className="plain-list">
            {cell.held.map(({ without, step }) => (
              <li key={without}>
                Without {without} it is refused at {STEP_NAMES[step]}
              </li>
            ))}
          </ul>
        </section>
      )}
      <FallLine steps={cell.steps} chosen={open} onChoose={(step) => setOpen(cell.steps.find((one) => one === step) ?? null)} />
      {open && <Why step={open} link={<RuleLink step={open} />} />}
    </>
  );
}
