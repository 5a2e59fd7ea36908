import { queryOptions } from '@tanstack/react-query';
import type { ClientStanding, ClientUseView, OwnClient, OwnClients, UseDays } from '@virga/protocol';
import { api } from '../../client/api';

export const clientsOf = (teamId: string): string => `/teams/${teamId}/clients`;

export const clientsQuery = (teamId: string) =>
  queryOptions({ queryKey: ['clients', teamId], queryFn: () => api.get<OwnClients>(clientsOf(teamId)), enabled: teamId !== '' });

export const clientQuery = (teamId: string, id: string) =>
  queryOptions({
    queryKey: ['clients', teamId, id],
    queryFn: () => api.get<OwnClient>(`${clientsOf(teamId)}/${id}`),
    enabled: teamId !== '',
    refetchInterval: 15_000,
  });

export const useQueryOf = (teamId: string, id: string, days: UseDays) =>
  queryOptions({
    queryKey: ['clients', teamId, id, 'use', days],
    queryFn: () => api.get<ClientUseView>(`${clientsOf(teamId)}/${id}/use?days=${days}`),
    refetchInterval: 10_000,
  });

export const limitsQuery = (teamId: string, id: string) =>
  queryOptions({
    queryKey: ['clients', teamId, id, 'limits'],
    queryFn: () => api.get<ClientStanding>(`${clientsOf(teamId)}/${id}/limits`),
    refetchInterval: 5000,
  });
