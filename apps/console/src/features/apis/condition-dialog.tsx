import { CONDITION_BOUNDS } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import type { ConditionDto, ConditionUseDto } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { ConditionField } from './condition-field';
import { faultsOf } from './condition-faults';
import { conditionScopeQuery, conditionsQuery } from './condition-queries';
import { ConditionTry } from './condition-try';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

/** The conditions of an API, or of chosen operations of it. */
export function ConditionDialog(subject: RuleSubject) {
  const { api, operations } = subject;
  const { data: shared, error } = useQuery(conditionsQuery);
  const { data: scope, error: scopeError } = useQuery(conditionScopeQuery(api.id, operations?.map(({ id }) => id) ?? null));
  const [uses, setUses] = useState<readonly ConditionUseDto[] | null>(operations === null ? api.conditions : (onlyOne(subject)?.conditions ?? null));
  const list = uses ?? [];
  const sourceOf = (use: ConditionUseDto): string => use.source ?? shared?.conditions.find(({ name }) => name === use.name)?.source ?? '';
  const usable = scope !== undefined && list.every((use) => use.name.trim() !== '' && faultsOf(sourceOf(use), scope).length === 0);
  const set = (index: number, use: ConditionUseDto) => setUses(list.map((one, at) => (at === index ? use : one)));
  return (
    <RuleDialog subject={subject} title={`Conditions of ${subjectWords(subject)}`} width="md" patch={usable ? { conditions: uses && [...uses] } : null}>
      <ProblemNotice error={error ?? scopeError} />
      {operations !== null && (
        <label className="check">
          <input type="checkbox" checked={uses === null} onChange={(event) => setUses(event.target.checked ? null : [...api.conditions])} /> as the API says:{' '}
          <span className="quiet">{api.conditions.length === 0 ? 'no conditions' : api.conditions.map(({ name }) => name).join(', ')}</span>
        </label>
      )}
      {uses !== null && shared && scope && (
        <>
          <p className="quiet" style={{ margin: 0 }}>
            {list.length === 0
              ? 'None yet: nothing is asked beyond credentials and rights.'
              : 'All of them have to hold, in this order, after credentials and rights.'}
          </p>
          {list.map((use, index) => (
            <Use
              key={index}
              use={use}
              index={index}
              shared={shared.conditions}
              scope={scope}
              onChange={(next) => set(index, next)}
              onDrop={() => setUses(list.filter((_, at) => at !== index))}
            />
          ))}
          {list.length < CONDITION_BOUNDS.perRule && (
            <div className="row wrap">
              <button type="button" className="link" onClick={() => setUses([...list, { kind: 'own', name: '', source: '' }])}>
                write a condition
              </button>
              {shared.conditions
                .filter(({ name }) => !list.some((use) => use.kind === 'shared' && use.name === name))
                .map(({ name }) => (
                  <button key={name} type="button" className="link" onClick={() => setUses([...list, { kind: 'shared', name }])}>
                    put in {name}
                  </button>
                ))}
            </div>
          )}
          {list.length > 0 && (
            <ConditionTry
              conditions={list.map((use) => ({ name: use.name, source: sourceOf(use) }))}
              scope={scope}
              apiId={api.id}
              operation={onlyOne(subject)}
            />
          )}
        </>
      )}
    </RuleDialog>
  );
}

function Use({
  use,
  index,
  shared,
  scope,
  onChange,
  onDrop,
}: {
  readonly use: ConditionUseDto;
  readonly index: number;
  readonly shared: readonly ConditionDto[];
  readonly scope: Parameters<typeof faultsOf>[1];
  readonly onChange: (use: ConditionUseDto) => void;
  readonly onDrop: () => void;
}) {
  const drop = (
    <button type="button" className="link small" onClick={onDrop}>
      drop
    </button>
  );
  if (use.kind === 'shared') {
    const source = shared.find(({ name }) => name === use.name)?.source ?? '';
    const [fault] = faultsOf(source, scope);
    return (
      <div className="stack" style={{ gap: 4 }}>
        <div className="row">
          <b>{use.name}</b> <Link to="/conditions">shared</Link> {drop}
        </div>
        <code style={{ whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>{source}</code>
        {fault && <span className="rust small">Here it cannot be used: {fault.says}.</span>}
      </div>
    );
  }
  return (
    <div className="stack" style={{ gap: 4 }}>
      <div className="row" style={{ alignItems: 'flex-end' }}>
        <Field id={`condition-${index}`} label="Name" hint="what refusals and traces call it">
          <input id={`condition-${index}`} maxLength={60} value={use.name} onChange={(event) => onChange({ ...use, name: event.target.value })} />
        </Field>
        {drop}
      </div>
      <ConditionField
        source={use.source ?? ''}
        onChange={(source) => onChange({ ...use, source })}
        scope={scope}
        label={`Condition ${use.name || index + 1}`}
      />
    </div>
  );
}
