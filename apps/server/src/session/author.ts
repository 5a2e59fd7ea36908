import { notFound } from '../http/problems.js';

/** Somebody of a team of the portal, who may touch what is that team's alone. */
export interface TeamAuthor {
  readonly name: string;
  readonly teamId: string;
}

/** Who edits: an operator or automation by name, or somebody of a team. */
export type Author = string | TeamAuthor;

/** As logs have it. Nobody of the portal can be taken for an operator, whatever they are called. */
export const nameOfAuthor = (author: Author): string => (typeof author === 'string' ? author : `portal: ${author.name}`);

/** Asked inside the transaction of an edit. @throws HttpException 404 for what is not the author's */
export function refuseStranger(author: Author, what: string, owner: { readonly teamId: string | null } | null): void {
  if (typeof author !== 'string' && (owner === null || owner.teamId !== author.teamId)) throw notFound(what);
}

export const sideOf = (author: Author): 'operator' | 'consumer' => (typeof author === 'string' ? 'operator' : 'consumer');
