import type { ContractOverride } from '@virga/core';
import type { ContractRuleDto } from '@virga/protocol';
import { definedOf } from './import-mapping.js';

/** What was sent, without members that say nothing. */
export function contractFrom({ parts, ...rest }: ContractRuleDto): ContractOverride {
  const own = parts === undefined ? {} : definedOf(parts);
  return { ...definedOf(rest), ...(Object.keys(own).length === 0 ? {} : { parts: own }) };
}

export const contractView = ({ parts, ...rest }: ContractOverride): ContractRuleDto => ({ ...rest, ...(parts === undefined ? {} : { parts: { ...parts } }) });
