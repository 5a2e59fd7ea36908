import { queryOptions } from '@tanstack/react-query';
import type {
  ClientStanding,
  LimitsView,
  PlanInput,
  PlanView,
  SubscriptionChanged,
  SubscriptionInput,
  SubscriptionPage,
  SubscriptionPatch,
} from '@virga/protocol';
import { api, withQuery } from '../../client/api';

export const limitsQuery = queryOptions({ queryKey: ['limits'], queryFn: () => api.get<LimitsView>('/limits'), refetchInterval: 10_000 });

export interface SubscriptionFilter {
  readonly clientId?: string;
  readonly planId?: string;
  readonly state?: string;
}

export const subscriptionsQuery = (filter: SubscriptionFilter, limit = 100) =>
  queryOptions({
    // Changes of clients' facts are made anew under this name.
    queryKey: ['clients', 'subscriptions', filter, limit],
    queryFn: () => api.get<SubscriptionPage>(withQuery('/subscriptions', { ...filter, limit })),
    refetchInterval: 10_000,
  });

export const clientStandingQuery = (clientId: string) =>
  queryOptions({
    queryKey: ['clients', clientId, 'limits'],
    queryFn: () => api.get<ClientStanding>(`/clients/${encodeURIComponent(clientId)}/limits`),
    refetchInterval: 5000,
  });

export const addPlan = (input: PlanInput) => api.post<PlanView>('/plans', input);
export const setPlan = (id: string, revision: string | null) => (input: PlanInput) => api.put<PlanView>(`/plans/${encodeURIComponent(id)}`, input, revision);
export const removePlan = (id: string) => () => api.remove(`/plans/${encodeURIComponent(id)}`);
export const subscribe = (input: SubscriptionInput) => api.post<SubscriptionChanged>('/subscriptions', input);
export const changeSubscription = ({ id, ...patch }: SubscriptionPatch & { readonly id: string }) =>
  api.patch<SubscriptionChanged>(`/subscriptions/${id}`, patch);
