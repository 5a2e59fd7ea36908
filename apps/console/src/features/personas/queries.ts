import { queryOptions } from '@tanstack/react-query';
import type { PersonaList } from '@virga/protocol';
import { api } from '../../client/api';

export const personasQuery = queryOptions({ queryKey: ['personas'], queryFn: () => api.get<PersonaList>('/personas') });
