import type { ReferenceOperation } from './reference.js';

/** A parameter that a contract names in the query. */
export interface QueryParameter {
  readonly name: string;
  /** As its page has it. */
  readonly type: string;
  readonly about: string;
}

/** Parameters of the query of an operation. */
export const queryParameters = ({ parameters }: Pick<ReferenceOperation, 'parameters'>): readonly QueryParameter[] =>
  parameters.flatMap(({ in: place, name, type, description: about }) => (place === 'query' ? [{ name, type, about }] : []));

/** Whether a name in the query is one that is named. Objects are sent under the names of their members, or those in brackets (OpenAPI 3.1 section 4.8.12). */
export const namesParameter = (known: readonly QueryParameter[], name: string): boolean =>
  known.some((one) => one.name === name || name.startsWith(`${one.name}[`) || /^(?:object|anything)\b/.test(one.type));
