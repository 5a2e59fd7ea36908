import type { ContractProblem, ListedContract } from '@virga/core';

/** What reading a description gave, in a form that crosses threads. */
export interface ContractResult extends Omit<ListedContract, 'problems'> {
  readonly usable: boolean;
  readonly openapi: string | null;
  readonly format: 'json' | 'yaml';
  readonly problems: readonly ContractProblem[];
  readonly problemCount: number;
}
