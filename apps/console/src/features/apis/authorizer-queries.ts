import { queryOptions } from '@tanstack/react-query';
import type { AuthorizerList } from '@virga/protocol';
import { api } from '../../client/api';

export const authorizersQuery = queryOptions({ queryKey: ['authorizers'], queryFn: () => api.get<AuthorizerList>('/authorizers'), refetchInterval: 10_000 });
