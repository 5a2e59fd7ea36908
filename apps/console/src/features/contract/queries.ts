import { queryOptions } from '@tanstack/react-query';
import type { ContractPlaceView, ViolationList } from '@virga/protocol';
import { api, withQuery } from '../../client/api';

export const violationsQuery = (filter: { readonly api?: string | undefined; readonly part?: string | undefined; readonly hours: number }) =>
  queryOptions({
    queryKey: ['violations', filter],
    queryFn: () => api.get<ViolationList>(withQuery('/violations', { ...filter, hours: String(filter.hours) })),
    refetchInterval: 5000,
  });

export const placeQuery = (id: string, pointer: string) =>
  queryOptions({
    queryKey: ['apis', id, 'contract', 'place', pointer],
    queryFn: () => api.get<ContractPlaceView>(withQuery(`/apis/${id}/contract/place`, { pointer })),
  });
