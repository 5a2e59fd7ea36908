import { queryOptions } from '@tanstack/react-query';
import type { OfferedApis, OfferedApiView, OfferedOperation, OfferedReleases } from '@virga/protocol';
import { api, withQuery } from '../../client/api';

/** What one sees hangs on who one is, and for which team. */
export const apisQuery = queryOptions({ queryKey: ['apis'], queryFn: () => api.get<OfferedApis>('/apis') });

export const apiQuery = (id: string) => queryOptions({ queryKey: ['apis', id], queryFn: () => api.get<OfferedApiView>(`/apis/${encodeURIComponent(id)}`) });

export const operationQuery = (id: string, of: string) =>
  queryOptions({
    queryKey: ['apis', id, 'operation', of],
    queryFn: () => api.get<OfferedOperation>(withQuery(`/apis/${encodeURIComponent(id)}/operation`, { of })),
  });

export const changesQuery = (id: string) =>
  queryOptions({ queryKey: ['apis', id, 'changes'], queryFn: () => api.get<OfferedReleases>(`/apis/${encodeURIComponent(id)}/changes`) });
