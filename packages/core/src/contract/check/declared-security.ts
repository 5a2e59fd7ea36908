import { isRecord, pointerToken } from '../../util/json-pointer.js';
import type { ContractSource } from './contract-source.js';

/** Where a scheme that a contract declares has its credential. */
export interface DeclaredScheme {
  readonly name: string;
  readonly kind: 'header' | 'query' | 'cookie' | 'token' | 'authorization' | 'certificate' | 'unknown';
  /** Name of the parameter, in small letters for a header; or the authentication scheme. */
  readonly at: string;
}

/** What a contract declares of credentials: any one of the alternatives, all schemes of it. None ask for nothing. */
export interface DeclaredSecurity {
  readonly alternatives: readonly (readonly DeclaredScheme[])[];
}

/** Security of an operation, or of the whole where it says nothing of its own (OpenAPI 3.1.2 sections 4.8.1 and 4.8.30). */
export function declaredSecurity(source: ContractSource, operation: string): DeclaredSecurity {
  const own = source.at(`${operation}/security`);
  const said = own === undefined ? source.at('/security') : own;
  if (said === undefined) return { alternatives: [] };
  // What cannot be read is met by nothing.
  if (!Array.isArray(said)) return { alternatives: [[{ name: 'security', kind: 'unknown', at: '' }]] };
  const alternatives = (said as unknown[]).map((one) =>
    isRecord(one) ? Object.keys(one).map((name) => schemeOf(source, name)) : [{ name: 'security', kind: 'unknown' as const, at: '' }],
  );
  return alternatives.some((schemes) => schemes.length === 0) ? { alternatives: [] } : { alternatives };
}

function schemeOf(source: ContractSource, name: string): DeclaredScheme {
  const scheme = source.object(`/components/securitySchemes/${pointerToken(name)}`)?.value ?? {};
  const text = (member: string): string => (typeof scheme[member] === 'string' ? scheme[member] : '');
  switch (text('type')) {
    case 'apiKey': {
      const kind = (['header', 'query', 'cookie'] as const).find((one) => one === text('in')) ?? 'unknown';
      return { name, kind, at: kind === 'header' ? text('name').toLowerCase() : text('name') };
    }
    case 'http': {
      const at = text('scheme').toLowerCase();
      return { name, kind: at === 'bearer' ? 'token' : at === '' ? 'unknown' : 'authorization', at };
    }
    case 'oauth2':
    case 'openIdConnect':
      return { name, kind: 'token', at: '' };
    case 'mutualTLS':
      return { name, kind: 'certificate', at: '' };
    default:
      return { name, kind: 'unknown', at: '' };
  }
}
