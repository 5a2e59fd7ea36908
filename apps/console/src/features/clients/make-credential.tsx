import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useQuery } from '@tanstack/react-query';
import { Copyable, Field, ProblemNotice } from '@virga/parts';
import { CredentialInput, type ClientView, type CredentialMade } from '@virga/protocol';
import dayjs from 'dayjs';
import { useState } from 'react';
import { useForm, type UseFormReturn } from 'react-hook-form';
import { showProblems } from '../../parts/form-problems';
import { providersQuery } from '../providers/queries';
import { addCredential } from './queries';
import { effectWords, useClientChange } from '../../client/directory-change';

const check = classValidatorResolver(CredentialInput);

/** Gives a client something to prove itself with. A key or a secret is shown here once, and nowhere again. */
export function MakeCredential({ client, onClose }: { readonly client: ClientView; readonly onClose: () => void }) {
  const [made, setMade] = useState<CredentialMade | null>(null);
  const form = useForm<CredentialInput>({
    defaultValues: { kind: 'key', name: '', expiresAt: null, key: '', certificate: '', providerId: '', providerClient: '' },
    resolver: (input, context, options) => check(onlyAsked(input), context, options),
    mode: 'onTouched',
  });
  const [left, setLeft] = useState<unknown>(null);
  const add = useClientChange(addCredential(client.id), (result) => (result.secret === null ? onClose() : setMade(result)));
  if (made) return <Secret made={made} client={client} onClose={onClose} />;
  const send = (input: CredentialInput) => {
    setLeft(null);
    add.mutate(input, { onError: (error) => setLeft(showProblems(form, error)) });
  };
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <form noValidate onSubmit={(event) => void form.handleSubmit((input) => send(input))(event)}>
        <DialogTitle>What {client.name} is to prove itself with</DialogTitle>
        <DialogContent className="stack">
          <Fields form={form} />
          <ProblemNotice error={left} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Leave it</Button>
          <Button type="submit" variant="contained" disabled={add.isPending}>
            Give it, at once
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

/** Members that a kind has no use for are neither checked nor sent. */
function onlyAsked({ kind, name, expiresAt, key, certificate, providerId, providerClient }: CredentialInput): CredentialInput {
  if (kind === 'certificate') return { kind, name, expiresAt: expiresAt ?? null, certificate: certificate ?? '' };
  if (kind === 'provider-client') return { kind, name, providerId: providerId ?? '', providerClient: providerClient ?? '' };
  return { kind, name, expiresAt: expiresAt ?? null, ...(kind === 'key' && key ? { key } : {}) };
}

const HINTS: Readonly<Record<CredentialInput['kind'], string>> = {
  key: 'Made here by chance, or brought along. Where it travels is said by the security scheme of each API.',
  basic: 'The name below, with a secret made here. Taken over TLS only, or on loopback.',
  certificate: 'Its private key stays with the client; the gateway sees it in the TLS handshake.',
  'provider-client': 'Tokens that a provider issues to this client count as this client’s.',
};

function Fields({ form }: { readonly form: UseFormReturn<CredentialInput> }) {
  const { data: providers } = useQuery(providersQuery);
  const { errors } = form.formState;
  const kind = form.watch('kind');
  return (
    <>
      <Field id="credential-kind" label="Kind" hint={HINTS[kind]}>
        <select id="credential-kind" {...form.register('kind')}>
          <option value="key">API key</option>
          <option value="basic">name and secret (Basic)</option>
          <option value="certificate">client certificate</option>
          <option value="provider-client">client of a provider</option>
        </select>
      </Field>
      <Field id="credential-name" label={kind === 'basic' ? 'Name that is sent' : 'What you call it'} error={errors.name}>
        <input id="credential-name" autoComplete="off" className={kind === 'basic' ? 'mono' : ''} {...form.register('name')} />
      </Field>
      {kind === 'key' && (
        <Field id="credential-key" label="A key that it has already" hint="Empty: one is made here. Only a hash is kept of it." error={errors.key}>
          <input id="credential-key" className="mono" autoComplete="off" spellCheck={false} {...form.register('key')} />
        </Field>
      )}
      {kind === 'certificate' && (
        <Field id="credential-certificate" label="Certificate, PEM" error={errors.certificate}>
          <textarea id="credential-certificate" className="mono small" rows={6} spellCheck={false} {...form.register('certificate')} />
        </Field>
      )}
      {kind === 'provider-client' ? (
        <div className="row fields">
          <Field id="credential-provider" label="Provider" error={errors.providerId}>
            <select id="credential-provider" {...form.register('providerId')}>
              <option value="">choose one</option>
              {providers?.items.map((item) => (
                <option key={item.id} value={item.id}>
                  {item.name}
                </option>
              ))}
            </select>
          </Field>
          <Field id="credential-client" label="What it calls the client (client_id)" error={errors.providerClient}>
            <input id="credential-client" className="mono" autoComplete="off" {...form.register('providerClient')} />
          </Field>
        </div>
      ) : (
        <Field id="credential-ends" label="Ends" hint="Empty: never" error={errors.expiresAt}>
          <input
            id="credential-ends"
            type="date"
            min={dayjs().add(1, 'day').format('YYYY-MM-DD')}
            onChange={(event) => form.setValue('expiresAt', event.target.value === '' ? null : dayjs(event.target.value).valueOf(), { shouldValidate: true })}
          />
        </Field>
      )}
    </>
  );
}

/** A key or a secret, shown this once. */
export function Secret({ made, client, onClose }: { readonly made: CredentialMade; readonly client: ClientView; readonly onClose: () => void }) {
  const { kind, name } = made.credential;
  return (
    <Dialog open maxWidth="sm" fullWidth>
      <DialogTitle>{kind === 'key' ? `The key of ${client.name}` : `The secret of ${name}`}</DialogTitle>
      <DialogContent className="stack">
        <pre className="sheet" style={{ whiteSpace: 'pre-wrap', overflowWrap: 'anywhere', fontSize: 15 }} data-secret>
          {made.secret}
        </pre>
        <div>
          <Copyable text={made.secret ?? ''} shown="copy it" />
        </div>
        <p className="ochre" style={{ margin: 0 }}>
          It is shown this once: only a hash of it is kept. {effectWords(made.effect)}.
        </p>
        <p className="quiet" style={{ margin: 0 }}>
          {kind === 'key'
            ? 'The client sends it where the security scheme of the API says, for example in the header x-api-key.'
            : `The client sends “Authorization: Basic” with the Base64 of ${name}:secret (RFC 7617).`}
        </p>
      </DialogContent>
      <DialogActions>
        <Button variant="contained" onClick={onClose}>
          I have put it away
        </Button>
      </DialogActions>
    </Dialog>
  );
}
