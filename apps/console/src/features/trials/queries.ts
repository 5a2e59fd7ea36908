import { queryOptions } from '@tanstack/react-query';
import type { SavedTrialList, TrialReportView } from '@virga/protocol';
import { api } from '../../client/api';

/** Trials of the draft as it is now; run with every question. @param revision changes whenever the draft does */
export const trialsQuery = (revision: string) =>
  queryOptions({
    queryKey: ['draft', 'trials', revision],
    queryFn: () => api.post<TrialReportView>('/trials/run'),
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
  });

export const savedTrialsQuery = queryOptions({ queryKey: ['trials', 'saved'], queryFn: () => api.get<SavedTrialList>('/trials/saved') });
