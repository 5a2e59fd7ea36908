import { queryOptions } from '@tanstack/react-query';
import type { CallQuestion, ReleaseDocument, TracedCaller, SupposedCredential } from '@virga/core';
import type { ReachFacts, ReachKeys } from '@virga/protocol';
import { api } from '../../client/api';
import { suppose } from '../../workers/suppose';

/** Which release: the draft, or one by its number. */
export type Which = 'draft' | number;

export const factsQuery = queryOptions({ queryKey: ['reach', 'facts'], queryFn: () => api.get<ReachFacts>('/reach/facts'), staleTime: 15_000, retry: false });

/** @param revision changes whenever the document does: of the draft its number of edits, of a release nothing */
export const documentQuery = (which: Which, revision: string) =>
  queryOptions({
    queryKey: ['reach', 'document', which, which === 'draft' ? revision : ''],
    queryFn: () => api.get<ReleaseDocument>(which === 'draft' ? '/draft/document' : `/releases/${which}/document`),
    staleTime: Infinity,
    gcTime: 60_000,
  });

/** Who sent a call: what is known of it, or the name of the persona that did. */
export type Sender = { readonly persona: string } | { readonly credentials: readonly SupposedCredential[] };

export interface CallInput extends Omit<CallQuestion, 'credentials'> {
  readonly sender: Sender;
}

/** What a call comes to when it is decided again, and what would change that. Asked for by hand, so that it is as fresh as the question. */
export const callQuery = (which: Which, call: CallInput, asked: number | null) =>
  queryOptions({
    queryKey: ['let-through', which, call, asked],
    queryFn: async ({ client }) => {
      const { sender, ...question } = call;
      const [{ personas, ...facts }, document] = await Promise.all([
        client.fetchQuery(factsQuery),
        api.get<ReleaseDocument>(which === 'draft' ? '/draft/document' : `/releases/${which}/document`),
      ]);
      const credentials = 'persona' in sender ? (personas.find(({ id }) => id === `persona ${sender.persona}`)?.credentials ?? []) : sender.credentials;
      const texts = credentials.some(({ kind }) => kind === 'pasted');
      const { keys } = texts ? await api.get<ReachKeys>('/reach/keys') : { keys: {} };
      return suppose({ ask: 'call', document, facts, keys, call: { ...question, credentials } });
    },
    enabled: asked !== null,
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
  });

/** The credentials of a recorded caller, as far as they were kept. */
export function tracedCredentials(who: TracedCaller | null, providerId: string | null, issuer: string): readonly SupposedCredential[] {
  if (who === null) return [];
  const token: readonly SupposedCredential[] =
    who.principal === null || providerId === null
      ? []
      : [{ kind: 'token', providerId, form: 'jwt', typ: null, claims: { iss: issuer }, principal: who.principal, vague: false }];
  return [...token, ...who.credentials.map(({ kind, id }): SupposedCredential => ({ kind, credentialId: id }))];
}
