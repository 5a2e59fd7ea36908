import { queryOptions, useQuery } from '@tanstack/react-query';
import type { OwnTeam, PortalSession, PortalSite } from '@virga/protocol';
import { createContext, useContext } from 'react';
import { api } from './api';

export const siteQuery = queryOptions({
  queryKey: ['site'],
  queryFn: async () => {
    const site = await api.get<PortalSite>('/site');
    api.keepCsrfToken(site.session?.csrfToken ?? '');
    return site;
  },
  staleTime: 60_000,
});

export const SiteContext = createContext<PortalSite | null>(null);

/** What the portal is and who is signed in; screens stand below it. */
export function useSite(): PortalSite {
  const site = useContext(SiteContext);
  if (!site) throw new Error('invariant: the site was read');
  return site;
}

/** Who is signed in; null for nobody. */
export const useSession = (): PortalSession | null => useSite().session;

const CHOSEN = 'portal-team';
const chosenTeam = queryOptions({ queryKey: ['chosen-team'], queryFn: () => localStorage.getItem(CHOSEN) ?? '', staleTime: Number.POSITIVE_INFINITY });

/** The team for which one acts: the one chosen last, else the first; null for none. */
export function useTeam(): OwnTeam | null {
  const session = useSession();
  const { data } = useQuery(chosenTeam);
  return session?.teams.find(({ id }) => id === data) ?? session?.teams[0] ?? null;
}

export const chooseTeam = (id: string): void => localStorage.setItem(CHOSEN, id);
