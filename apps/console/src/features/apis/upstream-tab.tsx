import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ApiPatch, type ApiView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { api as control } from '../../client/api';
import { Field } from '../../parts/field';
import { showProblems } from '../../parts/form-problems';
import { LeaveGuard } from '../../parts/leave-guard';
import { ProblemNotice } from '../../parts/problem-notice';

/** Where the API lives, and where its requests go. */
export function UpstreamTab({ api }: { readonly api: ApiView }) {
  const { name, version, basePath, upstream } = api;
  const form = useForm<ApiPatch>({ defaultValues: { name, version, basePath, upstream }, resolver: classValidatorResolver(ApiPatch), mode: 'onTouched' });
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const [left, setLeft] = useState<unknown>(null);
  const save = useMutation({
    mutationFn: (patch: ApiPatch) => control.patch<ApiView>(`/apis/${api.id}`, patch),
    onSuccess: async (saved) => {
      setLeft(null);
      form.reset({ name: saved.name, version: saved.version, basePath: saved.basePath, upstream: saved.upstream });
      enqueueSnackbar('Set in the draft');
      await client.invalidateQueries();
    },
    onError: (error) => setLeft(showProblems(form, error)),
  });
  const { errors, isDirty } = form.formState;
  return (
    <form className="stack" style={{ maxWidth: 560 }} onSubmit={(event) => void form.handleSubmit((patch) => save.mutate(patch))(event)} noValidate>
      <Field id="name" label="Name" error={errors.name}>
        <input id="name" {...form.register('name')} />
      </Field>
      <Field id="version" label="Version" error={errors.version}>
        <input id="version" {...form.register('version')} />
      </Field>
      <Field id="base" label="Base path on the gateway" error={errors.basePath}>
        <input id="base" className="mono" {...form.register('basePath')} />
      </Field>
      <Field id="url" label="Upstream address" error={errors.upstream?.url} hint="A path in it goes in front of every request">
        <input id="url" className="mono" {...form.register('upstream.url')} />
      </Field>
      <Field id="connect" label="Time to connect, milliseconds" error={errors.upstream?.connectTimeoutMs}>
        <input id="connect" type="number" {...form.register('upstream.connectTimeoutMs', { valueAsNumber: true })} />
      </Field>
      <Field id="response" label="Time to answer, and between two parts of an answer, milliseconds" error={errors.upstream?.responseTimeoutMs}>
        <input id="response" type="number" {...form.register('upstream.responseTimeoutMs', { valueAsNumber: true })} />
      </Field>
      <label className="check">
        <input type="checkbox" {...form.register('upstream.sendCredential')} /> the caller’s Authorization header travels on to the upstream
      </label>
      <ProblemNotice error={left} />
      <div>
        <Button type="submit" variant="contained" disabled={!isDirty || save.isPending}>
          Set in the draft
        </Button>
      </div>
      <LeaveGuard when={isDirty} />
    </form>
  );
}
