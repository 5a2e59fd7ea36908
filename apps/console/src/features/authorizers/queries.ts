import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { AuthorizerInput, AuthorizerUsesInput, AuthorizerView, CaseInputView, TriedList } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { useEffect, useState } from 'react';
import { api } from '../../client/api';

const pathOf = (name: string): string => `/authorizers/${encodeURIComponent(name)}`;

export const authorizerQuery = (name: string) =>
  queryOptions({ queryKey: ['authorizers', name], queryFn: () => api.get<AuthorizerView>(pathOf(name)), refetchInterval: 10_000 });

/** Saves an authorizer in the draft. */
export function useSetAuthorizer(onSet: (view: AuthorizerView) => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ name, input, revision }: { readonly name: string; readonly input: AuthorizerInput; readonly revision: string | null }) =>
      api.put<AuthorizerView>(pathOf(name), input, revision),
    onSuccess: async (view) => {
      onSet(view);
      await client.invalidateQueries();
    },
  });
}

export function useRemoveAuthorizer(name: string, onRemoved: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => api.remove(pathOf(name)),
    onSuccess: async () => {
      onRemoved();
      await client.invalidateQueries();
    },
  });
}

/** Lets rules call it, or no longer. */
export function useAuthorizerUses(name: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (uses: AuthorizerUsesInput) => api.post<AuthorizerView>(`${pathOf(name)}/uses`, uses),
    onSuccess: () => client.invalidateQueries(),
  });
}

export function useDropAnswers(name: string) {
  const { enqueueSnackbar } = useSnackbar();
  return useMutation({
    mutationFn: () => api.post(`${pathOf(name)}/drop`),
    onSuccess: () => void enqueueSnackbar(`The kept answers of ${name} are forgotten on every node`),
  });
}

/** The input of a case, made of a recorded request. */
export const caseOfTrace = (traceId: string, tables: readonly string[]) => api.post<CaseInputView>('/authorizers/cases/of-trace', { traceId, tables });

const PAUSE_MS = 500;

/** A value once it has been left alone for a moment. */
function useSettled<T>(value: T): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return settled;
}

/**
 * What an authorizer comes to with each input, asked of a gateway node with every edit, saved or not.
 * @param authorizer null while it cannot be asked
 */
export function useTried(authorizer: AuthorizerInput | null, inputs: readonly string[]) {
  const asked = useSettled(JSON.stringify({ authorizer: authorizer && { ...authorizer, cases: [] }, inputs }));
  const current = JSON.stringify({ authorizer: authorizer && { ...authorizer, cases: [] }, inputs });
  const found = useQuery({
    queryKey: ['authorizers', 'tried', asked],
    queryFn: () => api.post<TriedList>('/authorizers/try', JSON.parse(asked)),
    enabled: asked === current && authorizer !== null && inputs.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 5000,
  });
  return { ...found, waiting: asked !== current || found.isFetching };
}
