import { queryOptions } from '@tanstack/react-query';
import type { AddressAnswer, AddressesView, AddressQuestion } from '@virga/protocol';
import { api } from '../../client/api';

export const addressesQuery = queryOptions({ queryKey: ['addresses'], queryFn: () => api.get<AddressesView>('/addresses') });
export const askAddress = (question: AddressQuestion) => api.post<AddressAnswer>('/addresses/question', question);
