import { OPEN_SCOPE, type ConditionScope } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { count, Field, ProblemNotice } from '@virga/parts';
import { ConditionsPatch, type ConditionsView } from '@virga/protocol';
import { useMemo } from 'react';
import { useFieldArray } from 'react-hook-form';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { ConditionField } from '../apis/condition-field';
import { conditionsQuery } from '../apis/condition-queries';

const valuesOf = ({ conditions }: ConditionsView): ConditionsPatch => ({ conditions });

/** Conditions that rules share, under their names; and what conditions stopped. */
export function Conditions() {
  const { data, error } = useQuery(conditionsQuery);
  return (
    <>
      <div className="page-head">
        <h1>Conditions</h1>
        <span className="quiet">True lets a request pass; false, and whatever comes to no answer, refuses it.</span>
      </div>
      <ProblemNotice error={error} />
      {data && (
        <div className="with-aside">
          <Shared view={data} />
          <aside className="stack" style={{ gap: 20 }}>
            <Stopped view={data} />
            <LooksAt />
          </aside>
        </div>
      )}
    </>
  );
}

function Shared({ view }: { readonly view: ConditionsView }) {
  const draft = useDraftForm('/conditions', ConditionsPatch, view, valuesOf);
  const { form } = draft;
  const list = useFieldArray({ control: form.control, name: 'conditions' });
  const conditions = form.watch('conditions') ?? [];
  const errors = form.formState.errors.conditions;
  const scope = useMemo((): ConditionScope => ({ ...OPEN_SCOPE, tables: view.tables }), [view.tables]);
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <h2>Shared conditions</h2>
      {conditions.length === 0 && (
        <p className="quiet" style={{ margin: 0 }}>
          A condition that many rules ask, written once. A condition of one API or operation is written there: open it under <Link to="/apis">APIs</Link>.
        </p>
      )}
      {list.fields.map((field, index) => {
        const name = conditions[index]?.name ?? '';
        const rules = view.users.find((one) => one.name === name)?.rules ?? 0;
        return (
          <section key={field.id} className="stack" style={{ gap: 6 }}>
            <div className="row" style={{ alignItems: 'flex-end' }}>
              <Field id={`condition-${index}-name`} label="Name" error={errors?.[index]?.name}>
                <input id={`condition-${index}-name`} style={{ width: 170 }} {...form.register(`conditions.${index}.name`)} />
              </Field>
              <div className="grow">
                <Field id={`condition-${index}-about`} label="What it is for" error={errors?.[index]?.description}>
                  <input id={`condition-${index}-about`} {...form.register(`conditions.${index}.description`)} />
                </Field>
              </div>
              <span className="quiet small" style={{ whiteSpace: 'nowrap' }}>
                {rules === 0 ? 'asked by no rule' : `asked by ${count(rules)} ${rules === 1 ? 'rule' : 'rules'}`}
              </span>
              <button type="button" className="link small" onClick={() => list.remove(index)}>
                drop
              </button>
            </div>
            <ConditionField
              source={conditions[index]?.source ?? ''}
              onChange={(source) => form.setValue(`conditions.${index}.source`, source, { shouldDirty: true, shouldValidate: true })}
              scope={scope}
              label={`Condition ${name || index + 1}`}
            />
          </section>
        );
      })}
      <div>
        <button type="button" className="link" onClick={() => list.append({ name: '', description: '', source: '' })}>
          write a condition
        </button>
      </div>
      <DraftFormFoot draft={draft} />
    </form>
  );
}

/** What conditions stopped, shared or not. */
function Stopped({ view }: { readonly view: ConditionsView }) {
  const link = (outcome: string) => withQuery('/traces', { outcome, step: 'condition' });
  return (
    <section>
      <h2>Last 24 hours</h2>
      <p style={{ margin: '0 0 4px' }}>
        {view.refused === 0 ? 'No request was refused by a condition.' : <Link to={link('refused')}>{count(view.refused)} refused</Link>}
      </p>
      {view.wouldRefuse > 0 && (
        <p style={{ margin: 0 }}>
          <Link to={link('would-refuse')}>{count(view.wouldRefuse)} would have been refused</Link>
        </p>
      )}
    </section>
  );
}

const SHOWN: readonly (readonly [string, string])[] = [
  ['principal.roles', 'also scopes, groups, subject, issuer, tenant, acr, amr, signedInAt'],
  ['principal.attributes.…', 'own members of the claim map, each a list'],
  ['client.id', 'also name'],
  ['credentials', 'token, key, basic, certificate'],
  ['request.parameters.…', 'parameters of the path'],
  ['request.query.…', 'one that stands twice refuses'],
  ['request.headers["…"]', 'names in lower case, no credentials'],
  ['request.address', 'also method, path, operation'],
  ['request.body.…', 'JSON or a form; one that cannot be read refuses'],
  ['resource.…["…"].…', 'a column of a row of a table, as it is now'],
  ['now.getHours("…")', 'in a zone, or in UTC'],
];

function LooksAt() {
  return (
    <section>
      <h2>What they look at</h2>
      <dl className="small" style={{ margin: 0 }}>
        {SHOWN.map(([name, about]) => (
          <div key={name} style={{ marginBottom: 4 }}>
            <dt className="mono">{name}</dt>
            <dd className="quiet" style={{ margin: 0 }}>
              {about}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
