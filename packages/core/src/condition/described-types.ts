import { PARAMETER_PLACES, type DescribedParameter, type ParameterPlace } from '../contract/described-parameters.js';
import { bodyType } from './body-type.js';
import type { ConditionScope, DescribedTypes } from './condition-input.js';
import { STRING, textLike, type MemberType } from './condition-type.js';
import { describedForm } from './described-form.js';

/** The types that requests have by what contracts describe. */
export function describedTypes({ bodyMembers, contractParameters }: ConditionScope): DescribedTypes {
  const body = bodyType(bodyMembers);
  if (!contractParameters) return { body, parameters: null };
  const of = (place: ParameterPlace): Record<string, MemberType> => byName(contractParameters.filter((one) => one.in === place));
  const [path, query, header] = PARAMETER_PLACES.map(of) as [Record<string, MemberType>, Record<string, MemberType>, Record<string, MemberType>];
  return { body, parameters: { path, query, header } };
}

/** Texts all of them, of the form that their type has. Names come from contracts: no member is inherited. */
function byName(parameters: readonly DescribedParameter[]): Record<string, MemberType> {
  const members = Object.create(null) as Record<string, MemberType>;
  for (const { name, type, values, about } of parameters) {
    const form = describedForm(type, values);
    members[name] = { type: form ? textLike(form) : STRING, about };
  }
  return members;
}
