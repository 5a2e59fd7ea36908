import { useQuery } from '@tanstack/react-query';
import { RetentionDto } from '@virga/protocol';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { Field } from '../../parts/field';
import { ProblemNotice } from '../../parts/problem-notice';
import { retentionQuery } from './queries';

const valuesOf = ({ traceCount, traceHours }: RetentionDto): RetentionDto => ({ ...(traceCount && { traceCount }), ...(traceHours && { traceHours }) });

/** What belongs to this installation and not to a release. */
export function Settings() {
  const { data, error } = useQuery(retentionQuery);
  return (
    <>
      <div className="page-head">
        <h1>Settings</h1>
        <span className="quiet">of this installation; they take effect at once and are no part of a release</span>
      </div>
      <ProblemNotice error={error} />
      {data && <Retention kept={data} />}
    </>
  );
}

function Retention({ kept }: { readonly kept: RetentionDto }) {
  const settings = useDraftForm('/settings/retention', RetentionDto, kept, valuesOf, 'Set; older traces are deleted');
  const { form } = settings;
  const { errors } = form.formState;
  return (
    <form className="stack" style={{ maxWidth: 520 }} onSubmit={settings.submit} noValidate>
      <h2>How long traces are kept</h2>
      <p className="quiet small">
        Whichever bound is met first. Counters of the fall are kept for 90 days whatever stands here. Lowering a bound deletes older traces at once.
      </p>
      <Field id="trace-count" label="At most this many traces (100 to 5 000 000)" error={errors.traceCount}>
        <input id="trace-count" type="number" {...form.register('traceCount', { valueAsNumber: true })} />
      </Field>
      <Field id="trace-hours" label="For at most this many hours (1 to 8760)" error={errors.traceHours}>
        <input id="trace-hours" type="number" {...form.register('traceHours', { valueAsNumber: true })} />
      </Field>
      <DraftFormFoot draft={settings} action="Keep traces so" />
    </form>
  );
}
