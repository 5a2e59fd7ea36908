import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import { ProviderInput, type DiscoveryView, type ProviderView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { useSearchParams } from 'react-router';
import { api } from '../../client/api';
import { showProblems } from '../../parts/form-problems';
import { LeaveGuard, useArrival } from '../../parts/leave-guard';
import { KeyTable } from './key-table';
import { SourceFields } from './source-fields';

const isLoopback = (issuer: string): boolean => /^http:\/\/(127\.|localhost|\[::1\])/i.test(issuer);

/** Trusts a provider by its issuer: ask it, look at what it says, name it. */
export function TrustProvider() {
  const named = useSearchParams()[0].get('issuer') ?? '';
  const form = useForm<ProviderInput>({
    defaultValues: { issuer: named, name: '', allowLoopbackHttp: false, privateHosts: [], source: { kind: 'discovery' } },
    resolver: classValidatorResolver(ProviderInput),
    mode: 'onTouched',
  });
  const [arrived, setArrived] = useArrival();
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const [left, setLeft] = useState<unknown>(null);
  const ask = useMutation({
    mutationFn: () => {
      const { issuer, allowLoopbackHttp, privateHosts } = form.getValues();
      return api.post<DiscoveryView>('/providers/discover', { issuer, allowLoopbackHttp, privateHosts });
    },
    onSuccess: (answer) => {
      setLeft(null);
      // What it says of itself saves looking the endpoint up.
      if (source.kind === 'introspection' && !source.endpoint && answer.introspectionEndpoint)
        form.setValue('source', { ...source, endpoint: answer.introspectionEndpoint });
      if (source.kind === 'userinfo' && !source.endpoint && answer.userinfoEndpoint) form.setValue('source', { ...source, endpoint: answer.userinfoEndpoint });
    },
    onError: (error) => setLeft(showProblems(form, error)),
  });
  const trust = useMutation({
    mutationFn: (input: ProviderInput) => api.post<ProviderView>('/providers', input),
    onSuccess: async (made) => {
      await client.invalidateQueries();
      enqueueSnackbar(`${made.name} is trusted in the draft; bind it to a scheme of an API and publish`);
      setArrived(`/providers/${made.id}`);
    },
    onError: (error) => setLeft(showProblems(form, error)),
  });
  const issuer = form.watch('issuer');
  const source = form.watch('source') ?? { kind: 'discovery' };
  const { errors, isDirty } = form.formState;
  const said = ask.data;
  return (
    <>
      <div className="page-head">
        <h1>Trust a provider</h1>
        <span className="quiet">by its issuer; metadata and keys are found from there</span>
      </div>
      <form className="columns" onSubmit={(event) => void form.handleSubmit((input) => trust.mutate(input))(event)} noValidate>
        <section className="stack">
          <Field id="issuer" label="Issuer" error={errors.issuer} hint="Exactly as the provider writes it in iss; a slash at the end counts">
            <input id="issuer" className="mono" autoFocus placeholder="https://sign-in.example" {...form.register('issuer', { onChange: () => ask.reset() })} />
          </Field>
          {isLoopback(issuer) && (
            <label className="check">
              <input type="checkbox" {...form.register('allowLoopbackHttp')} /> this provider runs on this machine and may be asked over plain http
            </label>
          )}
          <Field
            id="private"
            label="Hosts in private networks that may be asked for it"
            error={errors.privateHosts}
            hint="Leave empty unless the provider is inside your own network; names, separated by blanks"
          >
            <input id="private" className="mono" onChange={(event) => form.setValue('privateHosts', event.target.value.split(/[\s,]+/).filter(Boolean))} />
          </Field>
          <SourceFields
            value={source}
            errors={(errors.source ?? {}) as Readonly<Record<string, object | undefined>>}
            onChange={(next) => form.setValue('source', next, { shouldDirty: true })}
          />
          <div>
            <Button type="button" variant={said?.ok ? 'outlined' : 'contained'} disabled={issuer === '' || ask.isPending} onClick={() => ask.mutate()}>
              {ask.isPending ? 'Asking…' : 'Ask the provider'}
            </Button>
          </div>
          {(said?.ok === true || source.kind !== 'discovery') && (
            <>
              <Field id="provider-name" label="Name" error={errors.name} hint="As it is called in this console">
                <input id="provider-name" {...form.register('name')} />
              </Field>
              <div>
                <Button type="submit" variant="contained" disabled={trust.isPending}>
                  Trust it in the draft
                </Button>
              </div>
            </>
          )}
          <ProblemNotice error={left} />
        </section>
        <section className="stack" aria-live="polite">
          {!said && <p className="quiet">What the provider says of itself will stand here: its endpoints, its keys, and which of them can be used.</p>}
          {said && !said.ok && (
            <div className="notice wrong" role="alert">
              <b>This provider cannot be trusted as it stands.</b>
              <div>{said.problem}</div>
            </div>
          )}
          {said && (
            <dl className="facts">
              {said.attempts.map((attempt) => (
                <div key={attempt.url} style={{ display: 'contents' }}>
                  <dt>{attempt.result === 'read' ? 'metadata' : 'asked'}</dt>
                  <dd>
                    <span className="mono">{attempt.url}</span> {attempt.result !== 'read' && <span className="quiet">{attempt.result}</span>}
                  </dd>
                </div>
              ))}
              {said.introspectionEndpoint && (
                <>
                  <dt>introspection</dt>
                  <dd className="mono">{said.introspectionEndpoint}</dd>
                </>
              )}
              {said.jwksUri && (
                <>
                  <dt>key set</dt>
                  <dd className="mono">{said.jwksUri}</dd>
                </>
              )}
              {said.tokenEndpoint && (
                <>
                  <dt>tokens from</dt>
                  <dd className="mono">{said.tokenEndpoint}</dd>
                </>
              )}
              {said.grantTypes.length > 0 && (
                <>
                  <dt>grants</dt>
                  <dd>{said.grantTypes.join(', ')}</dd>
                </>
              )}
            </dl>
          )}
          {said?.ok && <KeyTable keys={said.keys} refused={said.refused} />}
        </section>
      </form>
      <LeaveGuard when={isDirty && arrived === null} />
    </>
  );
}
