import type { ContractMode, ContractPart } from '@virga/core';
import type { MarkKind } from '../parts/mark';

/** Parts of a contract as they are called above columns. */
export const PART_HEADS: Readonly<Record<ContractPart, string>> = {
  'contract-path': 'path',
  'contract-query': 'query',
  'contract-header': 'headers',
  'contract-cookie': 'cookies',
  'contract-security': 'credential',
  'contract-type': 'type',
  'contract-body': 'body',
  'contract-status': 'status',
  'contract-fields': 'headers',
  'contract-answer': 'body',
};

export const MODE_MARKS: Readonly<Record<ContractMode, MarkKind>> = { off: 'skipped', observe: 'would-refuse', enforce: 'passed' };
export const MODE_WORDS: Readonly<Record<ContractMode, string>> = { off: 'off', observe: 'only observes', enforce: 'refuses' };
