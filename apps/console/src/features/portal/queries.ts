import { queryOptions } from '@tanstack/react-query';
import type {
  NoticeList,
  PageList,
  PortalAccounts,
  PortalLog,
  PortalRequests,
  PortalSettingsView,
  PortalTeam,
  PortalTeams,
  ShownApi,
  ShownApiInput,
  ShownApis,
} from '@virga/protocol';
import { api, withQuery } from '../../client/api';

const KEY = 'portal';

export const portalSettingsQuery = queryOptions({ queryKey: [KEY, 'settings'], queryFn: () => api.get<PortalSettingsView>('/portal/settings') });
export const portalRequestsQuery = queryOptions({
  queryKey: [KEY, 'requests'],
  queryFn: () => api.get<PortalRequests>('/portal/requests'),
  refetchInterval: 10_000,
});
export const shownApisQuery = queryOptions({ queryKey: [KEY, 'apis'], queryFn: () => api.get<ShownApis>('/portal/apis') });
export const teamsQuery = (text: string) =>
  queryOptions({ queryKey: [KEY, 'teams', text], queryFn: () => api.get<PortalTeams>(withQuery('/portal/teams', { text, limit: 200 })) });
export const teamQuery = (id: string) =>
  queryOptions({ queryKey: [KEY, 'team', id], queryFn: () => api.get<PortalTeam>(`/portal/teams/${encodeURIComponent(id)}`) });
export const accountsQuery = (text: string) =>
  queryOptions({ queryKey: [KEY, 'accounts', text], queryFn: () => api.get<PortalAccounts>(withQuery('/portal/accounts', { text, limit: 200 })) });
export const pagesQuery = queryOptions({ queryKey: [KEY, 'pages'], queryFn: () => api.get<PageList>('/portal/pages') });
export const noticesQuery = queryOptions({ queryKey: [KEY, 'notices'], queryFn: () => api.get<NoticeList>('/portal/notices') });
export const logQuery = (only: 'decisions' | '', before: number | undefined) =>
  queryOptions({ queryKey: [KEY, 'log', only, before], queryFn: () => api.get<PortalLog>(withQuery('/portal/log', { only, before })) });

export const showApi = ({ apiId, seen, teams }: ShownApiInput & { readonly apiId: string }) =>
  api.put<ShownApi>(`/portal/apis/${encodeURIComponent(apiId)}`, { seen, teams });
