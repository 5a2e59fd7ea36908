import { useQuery } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import { CertificateHeaderDto, RetentionDto } from '@virga/protocol';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { TextList } from '../../parts/text-list';
import { certificateHeaderQuery, retentionQuery } from './queries';

const valuesOf = ({ traceCount, traceHours }: RetentionDto): RetentionDto => ({ ...(traceCount && { traceCount }), ...(traceHours && { traceHours }) });

/** What belongs to this installation and not to a release. */
export function Settings() {
  const { data, error } = useQuery(retentionQuery);
  const { data: header, error: headerError } = useQuery(certificateHeaderQuery);
  return (
    <>
      <div className="page-head">
        <h1>Settings</h1>
        <span className="quiet">of this installation and of the gateway as a whole</span>
      </div>
      <ProblemNotice error={error ?? headerError} />
      <div className="columns">
        {data && <Retention kept={data} />}
        {header && <CertificateHeader set={header} />}
      </div>
    </>
  );
}

function Retention({ kept }: { readonly kept: RetentionDto }) {
  const settings = useDraftForm('/settings/retention', RetentionDto, kept, valuesOf, {
    of: (saved: RetentionDto) => saved,
    done: () => 'Set; older traces are deleted',
  });
  const { form } = settings;
  const { errors } = form.formState;
  return (
    <form className="stack" style={{ maxWidth: 520 }} onSubmit={settings.submit} noValidate>
      <h2>How long traces are kept</h2>
      <p className="quiet small">
        Takes effect at once. Whichever bound is met first. Counters of the fall are kept for 90 days whatever stands here. Lowering a bound deletes older
        traces at once.
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

const headerOf = ({ enabled, name, trustedHops }: CertificateHeaderDto): CertificateHeaderDto => ({ enabled, name, trustedHops });

function CertificateHeader({ set }: { readonly set: CertificateHeaderDto }) {
  const draft = useDraftForm('/settings/certificate-header', CertificateHeaderDto, set, headerOf);
  const { form } = draft;
  const { errors } = form.formState;
  const hops = form.watch('trustedHops');
  return (
    <form className="stack" style={{ maxWidth: 520 }} onSubmit={draft.submit} noValidate>
      <h2>Client certificates from a hop in front</h2>
      <p className="quiet small">
        Where something in front of the gateway ends TLS, it can pass the client’s certificate on in a header (RFC 9440, or URL-encoded PEM). It is believed
        from these addresses only. Part of the draft: publish it.
      </p>
      <label className="check">
        <input type="checkbox" {...form.register('enabled')} /> take certificates from a header
      </label>
      <Field id="certificate-header" label="Header" error={errors.name}>
        <input id="certificate-header" className="mono" {...form.register('name')} />
      </Field>
      <Field
        id="trusted-hops"
        label="Addresses and networks whose header is believed, one a line"
        error={errors.trustedHops}
        hint="as 192.0.2.7 or 2001:db8::/32"
      >
        <TextList
          id="trusted-hops"
          rows={3}
          value={hops}
          onChange={(trustedHops) => form.setValue('trustedHops', trustedHops, { shouldDirty: true, shouldValidate: true })}
        />
      </Field>
      <DraftFormFoot draft={draft} />
    </form>
  );
}
