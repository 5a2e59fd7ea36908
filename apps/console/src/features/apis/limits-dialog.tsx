import { useQuery } from '@tanstack/react-query';
import { Field } from '@virga/parts';
import type { LimitDto, PlanUseDto } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { LimitList } from '../../parts/limit-list';
import { plansQuery } from './plan-queries';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

const NONE: PlanUseDto = { asked: false, attribute: null };

/** Whether a plan is asked for, and what limits an API or chosen operations of it beside plans. */
export function LimitsDialog(subject: RuleSubject) {
  const { api, operations } = subject;
  const one = onlyOne(subject);
  const [plan, setPlan] = useState<PlanUseDto | null>(operations === null ? api.plan : (one?.plan ?? null));
  const [limits, setLimits] = useState<LimitDto[]>(operations === null ? api.limits : (one?.limits ?? []));
  // Of several operations only what is touched here is set: they may differ in the rest.
  const several = operations !== null && operations.length > 1;
  const [touched, setTouched] = useState({ plan: !several, limits: !several });
  const changePlan = (next: PlanUseDto | null) => {
    setPlan(next);
    setTouched({ ...touched, plan: true });
  };
  const changeLimits = (next: LimitDto[]) => {
    setLimits(next);
    setTouched({ ...touched, limits: true });
  };
  const patch = { ...(touched.plan ? { plan: plan ?? (operations === null ? NONE : null) } : {}), ...(touched.limits ? { limits } : {}) };
  const usable =
    (touched.plan || touched.limits) &&
    limits.every(({ name, requests, seconds, burst }) => name !== '' && requests > 0 && seconds > 0 && (burst === null || burst > 0));
  return (
    <RuleDialog subject={subject} title={`Plan and limits of ${subjectWords(subject)}`} width="md" patch={usable ? patch : null}>
      {operations !== null && (
        <label className="check">
          <input type="checkbox" checked={plan === null} onChange={(event) => changePlan(event.target.checked ? null : { ...api.plan })} /> a plan is asked for
          as the API says: <span className="quiet">{api.plan.asked ? 'it asks for one' : 'it asks for none'}</span>
        </label>
      )}
      {plan !== null && <PlanUse use={plan} onChange={changePlan} apiId={api.id} />}
      <section className="stack">
        <h2>Limits beside plans</h2>
        <p className="quiet small">They count in addition to those of {operations === null ? 'the gateway' : 'the API and of the gateway'}.</p>
        <LimitList id="limit" value={limits} onChange={changeLimits} />
      </section>
    </RuleDialog>
  );
}

function PlanUse({ use, onChange, apiId }: { readonly use: PlanUseDto; readonly onChange: (use: PlanUseDto) => void; readonly apiId: string }) {
  const { data: plans } = useQuery(plansQuery);
  const opening = plans?.items.filter(({ covers }) => covers.some((cover) => cover.apiId === apiId)).map(({ name }) => name) ?? [];
  return (
    <>
      <label className="check">
        <input type="checkbox" checked={use.asked} onChange={(event) => onChange({ ...use, asked: event.target.checked })} /> only clients that have a plan for
        it get in
      </label>
      {use.asked && (
        <>
          <p className={opening.length === 0 ? 'ochre small' : 'quiet small'}>
            {plans && (opening.length === 0 ? 'No plan opens this API yet, so nobody would get in. ' : `Plans that open it: ${opening.join(', ')}. `)}
            <Link to="/plans">Plans</Link>
          </p>
          <Field id="plan-attribute" label="Own member of the claim map that may name the plan" hint="empty: only subscriptions count">
            <input
              id="plan-attribute"
              className="mono"
              value={use.attribute ?? ''}
              onChange={(event) => onChange({ ...use, attribute: event.target.value || null })}
            />
          </Field>
        </>
      )}
    </>
  );
}
