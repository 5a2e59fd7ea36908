import type { FindingSide, SensitiveAction, SensitiveUse } from '@virga/core';

export const SIDE_WORDS: Readonly<Record<FindingSide, string>> = {
  path: 'in the path',
  query: 'in the query',
  header: 'in header fields',
  body: 'in the body',
  'answer-header': 'in answer header fields',
  'answer-body': 'in the answer',
};

export const isAnswer = (side: FindingSide): boolean => side === 'answer-header' || side === 'answer-body';

export const ACTION_WORDS: Readonly<Record<SensitiveAction, string>> = { tell: 'told of', mask: 'masked', refuse: 'refused' };

/** What becomes of one kind, in words. */
export function wordsOfUse({ request, answer }: Pick<SensitiveUse, 'request' | 'answer'>): string {
  if (request === answer && request !== null) return ACTION_WORDS[request];
  return [request && `${ACTION_WORDS[request]} in requests`, answer && `${ACTION_WORDS[answer]} in answers`].filter(Boolean).join(', ');
}

/** Whether it keeps something from passing. */
export const isEnforced = ({ request, answer }: Pick<SensitiveUse, 'request' | 'answer'>): boolean =>
  request === 'refuse' || answer === 'mask' || answer === 'refuse';
