import { classValidatorResolver } from '@hookform/resolvers/class-validator';
import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { useEffect, useState, type SyntheticEvent } from 'react';
import { useForm, type DefaultValues, type FieldValues, type UseFormReturn } from 'react-hook-form';
import { ProblemNotice } from '@virga/parts';
import { api as control, ApiProblem } from '../client/api';
import { showProblems } from './form-problems';
import { LeaveGuard } from './leave-guard';

/** A form over one part of the draft: what it edits, and what saving it is doing. */
export interface DraftForm<Patch extends FieldValues> {
  readonly form: UseFormReturn<Patch>;
  readonly submit: (event: SyntheticEvent) => void;
  /** What went wrong and stands beside no field. */
  readonly left: unknown;
  readonly saving: boolean;
  /** Whether somebody else changed the same part since this form began; null where nobody did. */
  readonly stale: { readonly showTheirs: () => void; readonly setMine: () => void } | null;
}

/** The revision of what a form began from; null where it has none. */
function revisionIn(view: unknown): string | null {
  const { revision } = (view ?? {}) as { readonly revision?: unknown };
  return typeof revision === 'string' ? revision : null;
}

/** How the answer to saving is read: what was kept, and what is said of it. */
interface Reading<View, Answer> {
  readonly of: (answer: Answer) => View;
  readonly done: (answer: Answer) => string;
}

/**
 * Edits a part of the draft: checked by its DTO while typing and by the control API on saving, whose pointers are put
 * beside their fields. After saving, the form holds what the control API kept.
 */
export function useDraftForm<Patch extends FieldValues, View, Answer = View>(
  path: string,
  dto: new () => Patch,
  view: View,
  valuesOf: (view: View) => Patch,
  reading: Reading<View, Answer> = { of: (answer) => answer as unknown as View, done: () => 'Set in the draft' },
): DraftForm<Patch> {
  const form = useForm<Patch>({ defaultValues: valuesOf(view) as DefaultValues<Patch>, resolver: classValidatorResolver(dto), mode: 'onTouched' });
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const [left, setLeft] = useState<unknown>(null);
  const [began, setBegan] = useState(revisionIn(view));
  const { isDirty } = form.formState;
  // What changed elsewhere is shown at once, unless something was typed over what was there before.
  useEffect(() => {
    if (isDirty || revisionIn(view) === began) return;
    form.reset(valuesOf(view));
    setBegan(revisionIn(view));
  }, [view, began, isDirty, form, valuesOf]);
  const save = useMutation({
    mutationFn: ({ patch, over }: { readonly patch: Patch; readonly over: boolean }) => control.patch<Answer>(path, patch, over ? null : began),
    onSuccess: async (saved) => {
      setLeft(null);
      form.reset(valuesOf(reading.of(saved)));
      setBegan(revisionIn(reading.of(saved)));
      enqueueSnackbar(reading.done(saved));
      await client.invalidateQueries();
    },
    onError: (error) => {
      const stale = error instanceof ApiProblem && error.status === 412;
      if (stale) void client.invalidateQueries();
      setLeft(stale ? error : showProblems(form, error));
    },
  });
  return {
    form,
    submit: (event) =>
      void form.handleSubmit(
        (patch) => save.mutate({ patch, over: false }),
        () => setLeft(new Error('Something above cannot be used yet')),
      )(event),
    left,
    saving: save.isPending,
    stale:
      left instanceof ApiProblem && left.status === 412
        ? {
            showTheirs: () => {
              setLeft(null);
              form.reset(valuesOf(view));
              setBegan(revisionIn(view));
            },
            setMine: () => save.mutate({ patch: form.getValues(), over: true }),
          }
        : null,
  };
}

/** The foot of such a form: what is wrong, the button, and the question before leaving. */
export function DraftFormFoot<Patch extends FieldValues>({
  draft,
  action = 'Set in the draft',
}: {
  readonly draft: DraftForm<Patch>;
  readonly action?: string;
}) {
  const { isDirty } = draft.form.formState;
  return (
    <>
      <ProblemNotice error={draft.left} />
      {draft.stale && (
        <div className="row">
          <button type="button" className="link" onClick={draft.stale.showTheirs}>
            show what is there now; what I typed is lost
          </button>
          <button type="button" className="link rust" onClick={draft.stale.setMine}>
            set mine over it
          </button>
        </div>
      )}
      <div>
        <Button type="submit" variant="contained" disabled={!isDirty || draft.saving}>
          {draft.saving ? 'Saving' : action}
        </Button>
      </div>
      <LeaveGuard when={isDirty} />
    </>
  );
}
