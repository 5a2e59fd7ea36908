import { queryOptions } from '@tanstack/react-query';
import type { CertificateHeaderDto, RetentionDto } from '@virga/protocol';
import { api } from '../../client/api';

export const retentionQuery = queryOptions({ queryKey: ['settings', 'retention'], queryFn: () => api.get<RetentionDto>('/settings/retention') });
export const certificateHeaderQuery = queryOptions({
  queryKey: ['settings', 'certificate-header'],
  queryFn: () => api.get<CertificateHeaderDto>('/settings/certificate-header'),
});
