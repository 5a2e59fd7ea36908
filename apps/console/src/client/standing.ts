import { useQuery } from '@tanstack/react-query';
import type { StandingView } from '@virga/protocol';
import { api } from './api';

/** What is live and what is not; asked again all the time, because the strip at the top is always there. */
export const useStanding = () => useQuery({ queryKey: ['standing'], queryFn: () => api.get<StandingView>('/standing'), refetchInterval: 3000 });
