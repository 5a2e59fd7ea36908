import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { describePlan, QUOTA_SPANS, type PlanRule } from '@virga/core';
import { Confirm, Field, ProblemNotice } from '@virga/parts';
import { PlanInput, type PlanView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useForm, type UseFormReturn } from 'react-hook-form';
import { useNavigate, useParams } from 'react-router';
import { ApiProblem } from '../../client/api';
import { showProblems } from '../../parts/form-problems';
import { LeaveGuard } from '../../parts/leave-guard';
import { SpanField } from '../../parts/span-field';
import { PlanCovers } from './plan-covers';
import { addPlan, removePlan, setPlan } from './queries';
import { plansQuery } from '../apis/plan-queries';
import { Subscriptions } from './subscriptions';

const FRESH: PlanInput = {
  name: '',
  description: '',
  covers: [],
  rate: null,
  quota: null,
  atOnce: null,
  requestBytes: null,
  mode: 'enforce',
  approval: 'by-hand',
};
const inputOf = ({ name, description, covers, rate, quota, atOnce, requestBytes, mode, approval }: PlanView): PlanInput => ({
  name,
  description,
  covers,
  rate,
  quota,
  atOnce,
  requestBytes,
  mode,
  approval,
});

/** One plan of the draft, or a new one. */
export function PlanScreen() {
  const { id = null } = useParams();
  const { data, error } = useQuery(plansQuery);
  const plan = data?.items.find((one) => one.id === id) ?? null;
  const [removing, setRemoving] = useState(false);
  const navigate = useNavigate();
  const client = useQueryClient();
  const remove = useMutation({
    mutationFn: removePlan(id ?? ''),
    onSuccess: async () => {
      await navigate('/plans');
      await client.invalidateQueries();
    },
  });
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  if (id !== null && plan === null) return <p>The draft has no such plan.</p>;
  return (
    <>
      <div className="page-head">
        <h1>{plan ? plan.name : 'A new plan'}</h1>
        {plan && (
          <span className="quiet">
            {plan.live ? `counts since it was published, for ${plan.active} ${plan.active === 1 ? 'client' : 'clients'}` : 'not published yet'}
          </span>
        )}
        {plan && (
          <span className="after">
            <button className="link rust" onClick={() => setRemoving(true)}>
              take away
            </button>
          </span>
        )}
      </div>
      {plan?.incomplete && <div className="notice">{plan.incomplete}.</div>}
      <ProblemNotice error={remove.error} />
      <PlanForm key={plan?.id ?? 'new'} plan={plan} onMade={(made) => void navigate(`/plans/${made.id}`)} />
      {plan && (
        <section style={{ marginTop: 24 }}>
          <h2>Who has it</h2>
          <Subscriptions filter={{ planId: plan.id }} />
        </section>
      )}
      {removing && plan && (
        <Confirm
          title={`Take ${plan.name} out of the draft`}
          action="Take it out"
          onNo={() => setRemoving(false)}
          onYes={() => remove.mutate(undefined, { onSettled: () => setRemoving(false) })}
        >
          Once published, operations that ask for a plan and that no other plan opens let nobody in.
        </Confirm>
      )}
    </>
  );
}

function PlanForm({ plan, onMade }: { readonly plan: PlanView | null; readonly onMade: (made: PlanView) => void }) {
  const form = useForm<PlanInput>({ defaultValues: plan ? inputOf(plan) : FRESH, resolver: classValidatorResolver(PlanInput), mode: 'onTouched' });
  const [began, setBegan] = useState(plan?.revision ?? null);
  const [left, setLeft] = useState<unknown>(null);
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const save = useMutation({
    mutationFn: ({ input, over }: { readonly input: PlanInput; readonly over: boolean }) =>
      plan ? setPlan(plan.id, over ? null : began)(input) : addPlan(input),
    onSuccess: async (made) => {
      setLeft(null);
      form.reset(inputOf(made));
      setBegan(made.revision);
      enqueueSnackbar('Set in the draft');
      await client.invalidateQueries();
      if (!plan) onMade(made);
    },
    onError: (error) => setLeft(error instanceof ApiProblem && error.status === 412 ? error : showProblems(form, error)),
  });
  const { isDirty, errors } = form.formState;
  const stale = left instanceof ApiProblem && left.status === 412;
  const values = form.watch();
  return (
    <form className="stack" noValidate onSubmit={(event) => void form.handleSubmit((input) => save.mutate({ input, over: false }))(event)}>
      <div className="columns">
        <div className="stack">
          <Field id="plan-name" label="Name" error={errors.name} hint="clients see it, and tokens may name it">
            <input id="plan-name" {...form.register('name')} />
          </Field>
          <Field id="plan-description" label="What it is for" error={errors.description}>
            <textarea id="plan-description" rows={2} {...form.register('description')} />
          </Field>
          <section className="stack">
            <h2>What it opens</h2>
            <PlanCovers
              value={values.covers}
              onChange={(covers) => form.setValue('covers', covers, { shouldDirty: true, shouldValidate: true })}
              error={errors.covers}
            />
          </section>
        </div>
        <div className="stack">
          <h2>How much of it, for each client</h2>
          <Amounts form={form} />
          <label className="check">
            <input
              type="checkbox"
              checked={values.mode === 'observe'}
              onChange={(event) => form.setValue('mode', event.target.checked ? 'observe' : 'enforce', { shouldDirty: true })}
            />{' '}
            only observe what goes beyond: nobody is refused, and it is counted
          </label>
          <Field id="plan-approval" label="A client that asks for it">
            <select id="plan-approval" {...form.register('approval')}>
              <option value="by-hand">waits until somebody approves</option>
              <option value="by-itself">has it at once</option>
            </select>
          </Field>
          <p className="quiet small">{wordsOf(values)}</p>
        </div>
      </div>
      <ProblemNotice error={left} />
      {stale && (
        <button type="button" className="link rust" onClick={() => save.mutate({ input: form.getValues(), over: true })}>
          set mine over it
        </button>
      )}
      <div>
        <Button type="submit" variant="contained" disabled={(!isDirty && plan !== null) || save.isPending}>
          {save.isPending ? 'Saving' : 'Set in the draft'}
        </Button>
      </div>
      <LeaveGuard when={isDirty && !save.isPending && !save.isSuccess} />
    </form>
  );
}

function wordsOf(values: PlanInput): string {
  const said = describePlan(values as unknown as PlanRule);
  return said.length === 0 ? 'As much as a client likes.' : `Each client: ${said.join('; ')}.`;
}

function Amounts({ form }: { readonly form: UseFormReturn<PlanInput> }) {
  const { rate, quota, atOnce, requestBytes } = form.watch();
  const { errors } = form.formState;
  const set = (change: Partial<PlanInput>) => {
    for (const name of Object.keys(change) as (keyof PlanInput)[]) form.setValue(name, change[name] as never, { shouldDirty: true, shouldValidate: true });
  };
  const numberOf = (value: number | null | undefined): number | string => (value === null || value === undefined || Number.isNaN(value) ? '' : value);
  return (
    <>
      <label className="check">
        <input
          type="checkbox"
          checked={rate !== null}
          onChange={(event) => set({ rate: event.target.checked ? { requests: 60, seconds: 60, burst: 10 } : null })}
        />{' '}
        a rate
      </label>
      {rate && (
        <div className="row fields">
          <Field id="plan-rate" label="Requests" error={errors.rate?.requests}>
            <input
              id="plan-rate"
              type="number"
              min={1}
              value={numberOf(rate.requests)}
              onChange={(event) => set({ rate: { ...rate, requests: event.target.valueAsNumber } })}
            />
          </Field>
          <SpanField
            id="plan-rate-span"
            label="in"
            seconds={rate.seconds}
            onChange={(seconds) => set({ rate: { ...rate, seconds } })}
            error={errors.rate?.seconds}
          />
          <Field id="plan-burst" label="At once" error={errors.rate?.burst}>
            <input
              id="plan-burst"
              type="number"
              min={1}
              value={numberOf(rate.burst)}
              onChange={(event) => set({ rate: { ...rate, burst: event.target.valueAsNumber } })}
            />
          </Field>
        </div>
      )}
      <label className="check">
        <input
          type="checkbox"
          checked={quota !== null}
          onChange={(event) => set({ quota: event.target.checked ? { requests: 10_000, per: 'day', zone: 'UTC' } : null })}
        />{' '}
        a quota
      </label>
      {quota && (
        <div className="row fields">
          <Field id="plan-quota" label="Requests" error={errors.quota?.requests}>
            <input
              id="plan-quota"
              type="number"
              min={1}
              value={numberOf(quota.requests)}
              onChange={(event) => set({ quota: { ...quota, requests: event.target.valueAsNumber } })}
            />
          </Field>
          <Field id="plan-quota-per" label="a">
            <select
              id="plan-quota-per"
              value={quota.per}
              onChange={(event) => set({ quota: { ...quota, per: QUOTA_SPANS.find((one) => one === event.target.value) ?? 'day' } })}
            >
              {QUOTA_SPANS.map((span) => (
                <option key={span}>{span}</option>
              ))}
            </select>
          </Field>
          <Field id="plan-zone" label="in the time zone" error={errors.quota?.zone}>
            <input id="plan-zone" className="mono" value={quota.zone} onChange={(event) => set({ quota: { ...quota, zone: event.target.value } })} />
          </Field>
        </div>
      )}
      <div className="row fields">
        <Field id="plan-at-once" label="Requests under way at one time" hint="empty: any number" error={errors.atOnce}>
          <input
            id="plan-at-once"
            type="number"
            min={1}
            value={numberOf(atOnce)}
            onChange={(event) => set({ atOnce: event.target.value === '' ? null : event.target.valueAsNumber })}
          />
        </Field>
        <Field id="plan-bytes" label="Bytes of a request’s body" hint="empty: any size" error={errors.requestBytes}>
          <input
            id="plan-bytes"
            type="number"
            min={0}
            value={numberOf(requestBytes)}
            onChange={(event) => set({ requestBytes: event.target.value === '' ? null : event.target.valueAsNumber })}
          />
        </Field>
      </div>
    </>
  );
}
