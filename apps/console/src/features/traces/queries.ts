import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';
import type { TracePage, TraceView } from '@virga/protocol';
import { api, withQuery } from '../../client/api';

export type TraceFilters = Readonly<Record<string, string | undefined>>;

/** Pages of traces, newest first. */
export const tracesQuery = (filters: TraceFilters, live: boolean) =>
  infiniteQueryOptions({
    queryKey: ['traces', filters],
    queryFn: ({ pageParam }) => api.get<TracePage>(withQuery('/traces', { ...filters, before: pageParam, limit: 100 })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    refetchInterval: live ? 1500 : false,
    placeholderData: (before) => before,
  });

export const traceQuery = (id: string) =>
  queryOptions({ queryKey: ['trace', id], queryFn: () => api.get<TraceView>(`/traces/${encodeURIComponent(id)}`), staleTime: Infinity });
