import { queryOptions } from '@tanstack/react-query';
import type { PlanList } from '@virga/protocol';
import { api } from '../../client/api';

export const plansQuery = queryOptions({ queryKey: ['plans'], queryFn: () => api.get<PlanList>('/plans'), refetchInterval: 10_000 });
