import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { readTypedJson } from '@virga/core';
import { Field, ProblemNotice } from '@virga/parts';
import { ClientInput, ClientPatch, type ClientChanged, type ClientView } from '@virga/protocol';
import { useState } from 'react';
import { useForm, type UseFormReturn } from 'react-hook-form';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { showProblems } from '../../parts/form-problems';
import { TextList } from '../../parts/text-list';
import { addClient } from './queries';
import { effectWords, useClientChange } from '../../client/directory-change';

/** Adds a client; what it proves itself with is made on its page. */
export function AddClient({ onClose, onDone }: { readonly onClose: () => void; readonly onDone: (id: string) => void }) {
  const form = useForm<ClientInput>({
    defaultValues: { name: '', owner: '', contact: '', roles: [] },
    resolver: classValidatorResolver(ClientInput),
    mode: 'onTouched',
  });
  const [left, setLeft] = useState<unknown>(null);
  const add = useClientChange(addClient, (made) => onDone(made.client.id));
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <form
        noValidate
        onSubmit={(event) => void form.handleSubmit((input) => add.mutate(input, { onError: (error) => setLeft(showProblems(form, error)) }))(event)}
      >
        <DialogTitle>Add a client</DialogTitle>
        <DialogContent className="stack">
          <Facts form={form} />
          <ProblemNotice error={left} />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Leave it</Button>
          <Button type="submit" variant="contained" disabled={add.isPending}>
            Add it
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

function Facts<Form extends ClientInput | ClientPatch>({ form: given }: { readonly form: UseFormReturn<Form> }) {
  // Both forms have these fields.
  const form = given as unknown as UseFormReturn<ClientPatch>;
  const { errors } = form.formState;
  return (
    <>
      <Field id="client-name" label="Name" error={errors.name}>
        <input id="client-name" {...form.register('name')} />
      </Field>
      <div className="row fields">
        <Field id="client-owner" label="Owner" hint="the team that answers for it" error={errors.owner}>
          <input id="client-owner" {...form.register('owner')} />
        </Field>
        <Field id="client-contact" label="Contact" hint="where that team is reached" error={errors.contact}>
          <input id="client-contact" {...form.register('contact')} />
        </Field>
      </div>
      <Field id="client-roles" label="Roles" hint="rules can ask for them" error={errors.roles}>
        <TextList
          id="client-roles"
          value={form.watch('roles') ?? []}
          onChange={(roles) => form.setValue('roles', roles, { shouldDirty: true, shouldValidate: true })}
        />
      </Field>
    </>
  );
}

const valuesOf = ({ name, owner, contact, description, roles, metadata }: ClientView): ClientPatch => ({ name, owner, contact, description, roles, metadata });

/** What is known of a client, to be changed in place. */
export function ClientFacts({ client }: { readonly client: ClientView }) {
  const draft = useDraftForm(`/clients/${client.id}`, ClientPatch, client, valuesOf, {
    of: (answer: ClientChanged) => answer.client,
    done: (answer) => effectWords(answer.effect),
  });
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <h2>What it is</h2>
      <Facts form={draft.form} />
      <Field id="client-description" label="Description" error={draft.form.formState.errors.description}>
        <textarea id="client-description" rows={2} {...draft.form.register('description')} />
      </Field>
      <MetadataField key={JSON.stringify(client.metadata)} form={draft.form} />
      <DraftFormFoot draft={draft} action="Save, at once" />
    </form>
  );
}

/** What is said of a client for rules, as JSON. What cannot be read yet is kept as it was typed and not sent. */
function MetadataField({ form }: { readonly form: UseFormReturn<ClientPatch> }) {
  const [text, setText] = useState(() => {
    const { metadata } = form.getValues();
    return metadata && Object.keys(metadata).length > 0 ? JSON.stringify(metadata, null, 2) : '';
  });
  const change = (typed: string) => {
    setText(typed);
    form.setValue('metadata', read(typed) as never, { shouldDirty: true, shouldValidate: true });
  };
  return (
    <Field
      id="client-metadata"
      label="Metadata, JSON"
      hint={
        <>
          rules read it as <span className="mono">client.metadata.NAME</span>
        </>
      }
      error={form.formState.errors.metadata}
    >
      <textarea
        id="client-metadata"
        className="mono small"
        rows={4}
        spellCheck={false}
        placeholder={'{ "tier": 2 }'}
        value={text}
        onChange={(event) => change(event.target.value)}
      />
    </Field>
  );
}

function read(text: string): unknown {
  if (text.trim() === '') return {};
  const typed = readTypedJson(text);
  return typed.kind === 'value' ? typed.value : text;
}
