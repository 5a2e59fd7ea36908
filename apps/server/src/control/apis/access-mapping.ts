import type { AccessRule } from '@virga/core';
import type { AccessDto } from '@virga/protocol';
import { fieldProblem } from '../../http/problems.js';

/** A rule that an engineer set, from what was sent. @throws problem at `pointer` when it names nothing to require */
export function accessFrom(dto: AccessDto, schemes: ReadonlySet<string>, pointer: string): AccessRule {
  const origin = dto.origin ?? 'hand';
  if (dto.kind !== 'required') return { kind: dto.kind, origin };
  const alternatives = (dto.alternatives ?? []).map((alternative) =>
    alternative.schemes.map(({ scheme, scopes, match, roles = [] }) => ({ scheme, scopes: [...new Set(scopes)], match, roles: [...new Set(roles)] })),
  );
  if (alternatives.length === 0) throw fieldProblem(`${pointer}/alternatives`, 'Name at least one alternative that lets a caller in');
  alternatives.forEach((alternative, index) =>
    alternative.forEach((requirement, position) => {
      if (!schemes.has(requirement.scheme))
        throw fieldProblem(`${pointer}/alternatives/${index}/schemes/${position}/scheme`, `The API has no security scheme ${requirement.scheme}`);
    }),
  );
  return { kind: 'required', origin, alternatives };
}

export function accessView(rule: AccessRule): AccessDto {
  if (rule.kind !== 'required') return { kind: rule.kind, origin: rule.origin };
  const alternatives = rule.alternatives.map((alternative) => ({
    schemes: alternative.map(({ scheme, scopes, match, roles }) => ({ scheme, scopes: [...scopes], match, roles: [...roles] })),
  }));
  return { kind: 'required', origin: rule.origin, alternatives };
}
