import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Copyable, Field, ProblemNotice } from '@virga/parts';
import { PersonaInput, type PersonaView } from '@virga/protocol';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import { api } from '../../client/api';
import { showProblems } from '../../parts/form-problems';
import { providersQuery } from '../providers/queries';

const REDIRECT = `${window.location.origin}/control/v1/personas/callback`;

/** Adds or changes a persona. A secret that is kept is never shown again. */
export function PersonaDialog({ persona, onClose }: { readonly persona: PersonaView | null; readonly onClose: () => void }) {
  const { data: providers } = useQuery(providersQuery);
  const form = useForm<PersonaInput>({
    defaultValues: persona
      ? {
          name: persona.name,
          providerId: persona.providerId,
          grant: persona.grant,
          clientId: persona.clientId,
          scopes: persona.scopes,
          resource: persona.resource,
        }
      : { name: '', providerId: '', grant: 'client_credentials', clientId: '', clientSecret: '', scopes: [], resource: '' },
    resolver: classValidatorResolver(PersonaInput),
    mode: 'onTouched',
  });
  const client = useQueryClient();
  const [left, setLeft] = useState<unknown>(null);
  const save = useMutation({
    mutationFn: (input: PersonaInput) => {
      // An empty field leaves a kept secret as it is.
      const body = persona && input.clientSecret === '' ? { ...input, clientSecret: undefined } : input;
      return persona ? api.put(`/personas/${persona.id}`, body) : api.post('/personas', body);
    },
    onSuccess: async () => {
      await client.invalidateQueries();
      onClose();
    },
    onError: (error) => setLeft(showProblems(form, error)),
  });
  const { errors } = form.formState;
  const grant = form.watch('grant');
  return (
    <Dialog open onClose={onClose} maxWidth="sm">
      <form onSubmit={(event) => void form.handleSubmit((input) => save.mutate(input))(event)} noValidate>
        <DialogTitle>{persona ? `Change ${persona.name}` : 'Add a persona'}</DialogTitle>
        <DialogContent className="stack">
          <Field id="persona-name" label="Name" error={errors.name}>
            <input id="persona-name" autoFocus {...form.register('name')} />
          </Field>
          <Field id="persona-provider" label="Provider" error={errors.providerId}>
            <select id="persona-provider" {...form.register('providerId')}>
              <option value="">choose one</option>
              {providers?.items.map((item) => (
                <option key={item.id} value={item.id}>
                  {item.name}
                </option>
              ))}
            </select>
          </Field>
          <Field
            id="persona-grant"
            label="How it gets a token"
            hint={
              grant === 'authorization_code' ? (
                <>
                  Register this redirect URI at the provider: <Copyable text={REDIRECT} />
                </>
              ) : undefined
            }
          >
            <select id="persona-grant" {...form.register('grant')}>
              <option value="client_credentials">client credentials: a program</option>
              <option value="authorization_code">authorization code with PKCE: a person signs in</option>
            </select>
          </Field>
          <Field id="persona-client" label="Client id" error={errors.clientId}>
            <input id="persona-client" className="mono" autoComplete="off" {...form.register('clientId')} />
          </Field>
          <Field
            id="persona-secret"
            label="Client secret"
            error={errors.clientSecret}
            hint={persona?.secret === 'kept' ? 'One is kept, encrypted; leave empty to keep it' : 'Empty for a public client'}
          >
            <input id="persona-secret" type="password" autoComplete="new-password" {...form.register('clientSecret')} />
          </Field>
          <Field id="persona-scopes" label="Scopes, separated by blanks" error={errors.scopes} hint="openid gives an ID token too">
            <input
              id="persona-scopes"
              className="mono"
              defaultValue={persona?.scopes.join(' ') ?? ''}
              onChange={(event) => form.setValue('scopes', event.target.value.split(/\s+/).filter(Boolean))}
            />
          </Field>
          <Field
            id="persona-resource"
            label="Resource, the API the token is for"
            error={errors.resource}
            hint="The API’s identifier (RFC 8707); empty asks for none"
          >
            <input id="persona-resource" className="mono" {...form.register('resource')} />
          </Field>
          <ProblemNotice error={left} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Leave it</Button>
          <Button type="submit" variant="contained" disabled={save.isPending}>
            Save
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
