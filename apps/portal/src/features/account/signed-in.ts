import { useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { siteQuery } from '../../client/site';

/** Goes on after somebody came in: reads anew who that is, then opens a page of the portal. */
export function useGoOn(): (to: string) => Promise<void> {
  const client = useQueryClient();
  const go = useNavigate();
  return async (to) => {
    await client.fetchQuery({ ...siteQuery, staleTime: 0 });
    // At once, so that nobody who goes on by themselves is taken back. Within the portal only, whatever a link said.
    await go(/^\/(?![/\\])/.test(to) ? to : '/', { replace: true });
    await client.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== siteQuery.queryKey[0] });
  };
}
