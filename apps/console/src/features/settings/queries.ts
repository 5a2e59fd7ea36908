import { queryOptions } from '@tanstack/react-query';
import type { RetentionDto } from '@virga/protocol';
import { api } from '../../client/api';

export const retentionQuery = queryOptions({ queryKey: ['settings', 'retention'], queryFn: () => api.get<RetentionDto>('/settings/retention') });
