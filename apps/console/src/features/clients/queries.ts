import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';
import type {
  ClientChanged,
  ClientInput,
  ClientListInput,
  ClientListReport,
  ClientPage,
  ClientPatch,
  ClientUseView,
  ClientView,
  CredentialInput,
  CredentialMade,
  LeakReport,
  LeakRule,
  LeakRuleView,
  ScannerMade,
  UseDays,
} from '@virga/protocol';
import { api, withQuery } from '../../client/api';

const PAGE = 100;

export const clientUseQuery = (clientId: string, days: UseDays) =>
  queryOptions({
    queryKey: ['clients', clientId, 'use', days],
    queryFn: () => api.get<ClientUseView>(withQuery(`/clients/${encodeURIComponent(clientId)}/use`, { days })),
    refetchInterval: 10_000,
    placeholderData: (before) => before,
  });

export const clientsQuery = (text: string) =>
  infiniteQueryOptions({
    queryKey: ['clients', 'list', text],
    queryFn: ({ pageParam }) => api.get<ClientPage>(withQuery('/clients', { text, offset: pageParam, limit: PAGE })),
    initialPageParam: 0,
    getNextPageParam: (page, pages) => {
      const seen = pages.reduce((sum, one) => sum + one.items.length, 0);
      return seen < page.total && page.items.length > 0 ? seen : undefined;
    },
    placeholderData: (before) => before,
  });

export const clientQuery = (id: string) =>
  queryOptions({ queryKey: ['clients', id], queryFn: () => api.get<ClientView>(`/clients/${encodeURIComponent(id)}`), refetchInterval: 10_000 });

const at = (id: string, rest = ''): string => `/clients/${encodeURIComponent(id)}${rest}`;
export const addClient = (input: ClientInput) => api.post<ClientChanged>('/clients', input);
export const changeClient = (id: string) => (patch: ClientPatch) => api.patch<ClientChanged>(at(id), patch);
export const removeClient = (id: string) => () => api.remove(at(id));
export const addCredential = (id: string) => (input: CredentialInput) => api.post<CredentialMade>(at(id, '/credentials'), input);
export const revokeCredential = (id: string) => (credentialId: string) =>
  api.post<ClientChanged>(at(id, `/credentials/${encodeURIComponent(credentialId)}/revoke`));
export const rotateKey = (id: string, credentialId: string) => (overlapHours: number) =>
  api.post<CredentialMade>(at(id, `/credentials/${encodeURIComponent(credentialId)}/rotate`), { overlapHours });
export const takeClients = (input: ClientListInput) => api.post<ClientListReport>('/clients/list', input);

export const leakRuleQuery = queryOptions({ queryKey: ['leaks', 'rule'], queryFn: () => api.get<LeakRuleView>('/leaks/rule'), refetchInterval: 10_000 });
export const lookForLeaks = (text: string) => api.post<LeakReport>('/leaks', { text });
export const setLeakRule = (rule: LeakRule) => api.put<LeakRuleView>('/leaks/rule', rule);
export const makeScanner = () => api.post<ScannerMade>('/leaks/scanner');
export const removeScanner = () => api.remove('/leaks/scanner');
