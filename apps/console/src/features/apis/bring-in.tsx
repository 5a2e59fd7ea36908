import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Field, ProblemNotice } from '@virga/parts';
import { ImportInput, type ContractReading, type ContractSourceInput, type ImportView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { api } from '../../client/api';
import { showProblems } from '../../parts/form-problems';
import { LeaveGuard, useArrival } from '../../parts/leave-guard';
import { Reading } from './contract-reading';
import { ContractSource } from './contract-source';

const EMPTY: ImportInput = { source: { text: '' }, name: '', version: '', basePath: '', upstreamUrl: '' };

/** Brings an API in: read the description, look at what it says, point it at its upstream. */
export function BringIn() {
  const form = useForm<ImportInput>({ defaultValues: EMPTY, resolver: classValidatorResolver(ImportInput), mode: 'onTouched' });
  const [source, setSource] = useState<ContractSourceInput>({ text: '' });
  const [arrived, setArrived] = useArrival();
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const suggest = (reading: ContractReading) => {
    if (!reading.usable) return;
    form.setValue('name', reading.title);
    form.setValue('version', reading.version);
    if (form.getValues('basePath') === '')
      form.setValue(
        'basePath',
        `/${reading.title
          .toLowerCase()
          .replace(/[^a-z0-9]+/g, '-')
          .replace(/^-|-$/g, '')}`,
      );
    const server = reading.servers.find((item) => /^https?:\/\/[^\s{}]+$/.test(item));
    if (server && form.getValues('upstreamUrl') === '') form.setValue('upstreamUrl', server.replace(/\/$/, ''));
  };
  const read = useMutation({ mutationFn: () => api.post<ContractReading>('/contracts/read', source), onSuccess: suggest });
  const bringIn = useMutation({
    mutationFn: (input: ImportInput) => api.post<ImportView>('/apis', { ...input, source }),
    onSuccess: async ({ api: made }) => {
      await client.invalidateQueries();
      enqueueSnackbar(`${made.name} is in the draft with ${made.operationCount} operations`);
      setArrived(`/apis/${made.id}`);
    },
  });
  const [left, setLeft] = useState<unknown>(null);
  const submit = form.handleSubmit((input) => bringIn.mutate(input, { onError: (error) => setLeft(showProblems(form, error)) }));
  const take = (next: ContractSourceInput) => {
    setSource(next);
    read.reset();
  };
  const given = (source.text ?? source.url ?? '') !== '';
  const { errors } = form.formState;
  return (
    <>
      <div className="page-head">
        <h1>Bring an API in</h1>
        <span className="quiet">it goes to the draft; nothing is served before you publish</span>
      </div>
      <div className="columns">
        <section className="stack">
          <h2>1. Its description</h2>
          <ContractSource value={source} onChange={take} />
          <div>
            <Button variant={read.data ? 'outlined' : 'contained'} disabled={!given || read.isPending} onClick={() => read.mutate()}>
              {read.isPending ? 'Reading…' : 'Read it'}
            </Button>
          </div>
          <ProblemNotice error={read.error} />
        </section>
        <section className="stack">
          {!read.data && <p className="quiet">What the description says will stand here: operations, security, and every remark with its line.</p>}
          {read.data && <Reading reading={read.data} />}
          {read.data?.usable && (
            <form className="stack" onSubmit={(event) => void submit(event)} noValidate>
              <h2>2. Where it lives</h2>
              <Field id="api-name" label="Name" error={errors.name}>
                <input id="api-name" {...form.register('name')} />
              </Field>
              <Field id="api-version" label="Version" error={errors.version}>
                <input id="api-version" {...form.register('version')} />
              </Field>
              <Field
                id="api-base"
                label="Base path on the gateway"
                hint="In front of every path of the description; empty serves it at the root"
                error={errors.basePath}
              >
                <input id="api-base" className="mono" {...form.register('basePath')} />
              </Field>
              <Field id="api-upstream" label="Upstream address" hint="Where requests that pass are sent" error={errors.upstreamUrl}>
                <input id="api-upstream" className="mono" placeholder="http://127.0.0.1:8080" {...form.register('upstreamUrl')} />
              </Field>
              <ProblemNotice error={left} />
              <div>
                <Button type="submit" variant="contained" disabled={bringIn.isPending}>
                  {bringIn.isPending ? 'Bringing it in…' : 'Bring it in'}
                </Button>
              </div>
            </form>
          )}
        </section>
      </div>
      <LeaveGuard when={given && arrived === null} />
    </>
  );
}
