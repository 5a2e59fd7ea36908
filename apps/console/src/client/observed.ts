import { queryOptions } from '@tanstack/react-query';
import type { ObservedList } from '@virga/protocol';
import { api } from './api';

/** Whom enforcing what only observes would have refused. */
export const observedQuery = (id: string) => queryOptions({ queryKey: ['apis', id, 'observed'], queryFn: () => api.get<ObservedList>(`/apis/${id}/observed`) });
