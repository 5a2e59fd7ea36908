import type { ReleaseDocument } from '@virga/core';
import type { AttentionItem, NodeStatus } from '@virga/protocol';
import { planlessWords } from '../apis/planless.js';
import { incompleteOf, opensOf } from '../plans/plans.service.js';

/** Plans that are asked for and opened by nobody, and that open nothing. */
export function planItems(document: ReleaseDocument): AttentionItem[] {
  const incomplete = document.apis.flatMap((api): AttentionItem[] => {
    const words = planlessWords(api, document.plans);
    if (words === '') return [];
    const title = `${api.name}: ${words}`;
    return [{ mark: 'refused', title, detail: 'No plan opens them, so they refuse everyone. Add them to a plan, or ask for none.', link: '/plans' }];
  });
  const idle = document.plans.flatMap((plan): AttentionItem[] => {
    const detail = incompleteOf(plan, opensOf(plan, document), document.apis.length);
    return detail === '' ? [] : [{ mark: 'unknown', title: `The plan ${plan.name} is incomplete`, detail: `${detail}.`, link: '/plans' }];
  });
  return [...incomplete, ...idle];
}

/**
 * Nodes that each count and remember by themselves let through as many times as much as there are of them.
 * @param counts what each node that is connected says of its counting; left out by nodes that know no other way
 */
export function apartItems({ plans, limits, guessing, apis }: ReleaseDocument, counts: readonly NodeStatus['counts'][]): AttentionItem[] {
  const each = counts.filter((one) => (one ?? 'each') === 'each').length;
  const limited =
    limits.length + plans.length > 0 || apis.some((api) => api.limits.length > 0 || api.operations.some((operation) => operation.limits.length > 0));
  const proved = apis.some(({ token, operations }) => token.dpop === 'required' || operations.some((operation) => operation.token?.dpop === 'required'));
  const apart = [
    ...(limited ? [`limits let through up to ${each} times as much as they say`] : []),
    ...(guessing === null ? [] : ['whoever guesses begins anew at each']),
    ...(proved ? ['a proof of possession is good once at each'] : []),
  ];
  if (each < 2 || apart.length === 0) return [];
  return [
    {
      mark: 'would-refuse',
      title: `${each} nodes count each by itself`,
      detail: `${upper(apart.join('; '))}. Give the nodes a store that they share (VIRGA_REDIS_URL).`,
      link: '/plans',
    },
  ];
}

const upper = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1);
