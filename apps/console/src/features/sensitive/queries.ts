import { queryOptions } from '@tanstack/react-query';
import type { SensitiveView } from '@virga/protocol';
import { api } from '../../client/api';

export const sensitiveQuery = queryOptions({
  queryKey: ['sensitive'],
  queryFn: () => api.get<SensitiveView>('/sensitive'),
  refetchInterval: 5000,
});
