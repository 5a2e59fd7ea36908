import { useQuery } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import { LimitsPatch, type GuessingDto, type LimitsView } from '@virga/protocol';
import type { UseFormReturn } from 'react-hook-form';
import { Link } from 'react-router';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { LimitList } from '../../parts/limit-list';
import { SpanField } from '../../parts/span-field';
import { limitsQuery } from './queries';

const valuesOf = ({ limits, guessing, counting }: LimitsView): LimitsPatch => ({ limits, guessing, counting });
const GUESSING: GuessingDto = { mode: 'enforce', seconds: 60, byAddress: 30, byCredential: 10 };
const COUNTED: Readonly<Record<LimitsView['counted'], string>> = {
  each: 'Each node counts by itself.',
  together: 'All nodes count together.',
  away: 'The counters that nodes share cannot be reached.',
};

/** What limits every request that is let in, what holds up guessing, and how is counted. */
export function LimitsScreen() {
  const { data, error } = useQuery(limitsQuery);
  return (
    <>
      <div className="page-head">
        <h1>Limits</h1>
        <span className="quiet">
          {data && (data.nodes > 1 || data.counted === 'away' ? <b className={data.counted === 'together' ? '' : 'ochre'}>{COUNTED[data.counted]} </b> : null)}
          They stand beside those of <Link to="/plans">plans</Link>; APIs and operations may have their own.
        </span>
      </div>
      <ProblemNotice error={error} />
      {data && <Form view={data} />}
    </>
  );
}

function Form({ view }: { readonly view: LimitsView }) {
  const draft = useDraftForm('/limits', LimitsPatch, view, valuesOf);
  const { form } = draft;
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <div className="columns">
        <section className="stack">
          <h2>Of every request that is let in</h2>
          {(form.watch('limits') ?? []).length === 0 && <p className="quiet">None. A limit here counts requests of all APIs.</p>}
          <LimitList
            id="gateway-limit"
            value={form.watch('limits') ?? []}
            onChange={(limits) => form.setValue('limits', limits, { shouldDirty: true, shouldValidate: true })}
            errors={form.formState.errors.limits}
          />
        </section>
        <div className="stack">
          <Guessing form={form} />
          <Counting form={form} />
        </div>
      </div>
      <DraftFormFoot draft={draft} />
    </form>
  );
}

function Guessing({ form }: { readonly form: UseFormReturn<LimitsPatch> }) {
  const rule = form.watch('guessing') ?? null;
  const { errors } = form.formState;
  const set = (next: GuessingDto | null) => form.setValue('guessing', next, { shouldDirty: true, shouldValidate: true });
  const amount = (value: string): number | null => (value === '' ? null : Number(value));
  return (
    <section className="stack">
      <h2>Guessing of credentials</h2>
      <label className="check">
        <input type="checkbox" checked={rule !== null} onChange={(event) => set(event.target.checked ? GUESSING : null)} /> hold up whoever fails to prove
        itself again and again
      </label>
      {rule && (
        <>
          <div className="row fields">
            <Field id="guess-address" label="Failures from one address" error={errors.guessing?.byAddress}>
              <input
                id="guess-address"
                type="number"
                min={1}
                value={rule.byAddress ?? ''}
                onChange={(event) => set({ ...rule, byAddress: amount(event.target.value) })}
              />
            </Field>
            <Field id="guess-credential" label="with one credential" error={errors.guessing?.byCredential}>
              <input
                id="guess-credential"
                type="number"
                min={1}
                value={rule.byCredential ?? ''}
                onChange={(event) => set({ ...rule, byCredential: amount(event.target.value) })}
              />
            </Field>
            <SpanField id="guess-span" label="in" seconds={rule.seconds} onChange={(seconds) => set({ ...rule, seconds })} error={errors.guessing?.seconds} />
          </div>
          <label className="check">
            <input
              type="checkbox"
              checked={rule.mode === 'observe'}
              onChange={(event) => set({ ...rule, mode: event.target.checked ? 'observe' : 'enforce' })}
            />{' '}
            only observe
          </label>
          <p className="quiet small">
            Looked at before anything is proved; nodes that share their counters count together, others each by itself. What is left empty is not counted. What
            is genuine and has expired is no guess. Whoever knows a Basic name can hold up its owner by failing for it.
          </p>
        </>
      )}
    </section>
  );
}

function Counting({ form }: { readonly form: UseFormReturn<LimitsPatch> }) {
  const rule = form.watch('counting');
  if (!rule) return null;
  const set = (change: Partial<typeof rule>) => form.setValue('counting', { ...rule, ...change }, { shouldDirty: true, shouldValidate: true });
  return (
    <section className="stack">
      <h2>How it is counted and told</h2>
      <Field id="counting-tell" label="Callers are told what is left (RateLimit fields)">
        <select id="counting-tell" value={rule.tell} onChange={(event) => set({ tell: event.target.value === 'always' ? 'always' : 'refusals' })}>
          <option value="refusals">where they are refused</option>
          <option value="always">with every answer</option>
        </select>
      </Field>
      <Field
        id="counting-away"
        label="While counters that nodes share are away"
        hint="Nodes share counters in Redis, where they are started with VIRGA_REDIS_URL, and with them which proofs of possession were used: none passes where nothing passes a limit."
      >
        <select id="counting-away" value={rule.away} onChange={(event) => set({ away: event.target.value === 'alone' ? 'alone' : 'refuse' })}>
          <option value="refuse">nothing passes a limit: 503</option>
          <option value="alone">each node counts alone, up to a share of each limit</option>
        </select>
      </Field>
      {rule.away === 'alone' && (
        <Field id="counting-share" label="Share, percent" error={form.formState.errors.counting?.sharePercent}>
          <input
            id="counting-share"
            type="number"
            min={1}
            max={100}
            value={Number.isNaN(rule.sharePercent) ? '' : rule.sharePercent}
            onChange={(event) => set({ sharePercent: event.target.valueAsNumber })}
          />
        </Field>
      )}
    </section>
  );
}
