import { queryOptions } from '@tanstack/react-query';
import type { ReachSettings, ReleaseDocument, SupposedCaller } from '@virga/core';
import type { ReachFacts, ReachKeys } from '@virga/protocol';
import { api } from '../../client/api';
import { suppose } from '../../workers/suppose';
import type { CellPlace } from '../../workers/suppose-messages';

export interface TableInput {
  readonly after: ReleaseDocument;
  readonly before: ReleaseDocument | null;
  readonly facts: ReachFacts;
  readonly pasted: readonly SupposedCaller[];
  readonly clientText: string;
  readonly settings: Pick<ReachSettings, 'atMs' | 'address'>;
}

/** Who can reach what; decided anew whenever a document, a fact or a setting is another. */
export const tableQuery = ({ after, before, facts, pasted, settings, clientText }: TableInput, key: readonly unknown[]) =>
  queryOptions({
    queryKey: ['reach', 'table', ...key],
    queryFn: async () => {
      const { personas, ...known } = facts;
      const texts = pasted.some(({ credentials }) => credentials.some(({ kind }) => kind === 'pasted'));
      const { keys } = texts ? await api.get<ReachKeys>('/reach/keys') : { keys: {} };
      return suppose({
        ask: 'table',
        by: 'reach',
        after,
        before,
        facts: known,
        named: [...pasted, ...personas],
        settings: { ...settings, nowMs: Date.now() },
        keys,
        clientText,
      });
    },
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
  });

export const cellQuery = (place: CellPlace | null, at: number) =>
  queryOptions({
    queryKey: ['reach', 'cell', place, at],
    queryFn: () => suppose({ ask: 'cell', by: 'reach', place: place as CellPlace }),
    enabled: place !== null,
    gcTime: 0,
    retry: false,
  });
