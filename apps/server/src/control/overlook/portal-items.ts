import type { AttentionItem } from '@virga/protocol';
import { portalWaiting } from '../../store/portal-store.js';

/** What waits for the operator in the portal. */
export async function portalItems(): Promise<AttentionItem[]> {
  const { accounts, subscriptions } = await portalWaiting();
  const [first] = subscriptions;
  const [total, link] = [subscriptions.length, '/portal/requests'];
  return [
    ...(accounts === 0
      ? []
      : [
          {
            mark: 'unknown' as const,
            title: accounts === 1 ? 'An account waits in the portal' : `${accounts} accounts wait in the portal`,
            detail: 'Until somebody approves, nothing can be done with it.',
            link,
          },
        ]),
    ...(first
      ? [
          {
            mark: 'unknown' as const,
            title: `${total === 1 ? 'A client waits' : `${total} clients wait`} for a plan`,
            detail: `${first.clientId} asked for ${first.planId}${total > 1 ? ', others too' : ''}. Approve or decline it.`,
            link,
          },
        ]
      : []),
  ];
}
