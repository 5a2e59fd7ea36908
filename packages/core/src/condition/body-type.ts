import { ANY_ITEM, type BodyMember } from '../contract/body-members.js';
import { ANY_NAME, bodyPlaces, NOWHERE, plainWord, type BodyPlace } from './body-places.js';
import { describedForm } from './described-form.js';
import { BOOL, DOUBLE, DYN, listOf, mapOf, NULL, STRING, textLike, type ConditionType, type MemberType } from './condition-type.js';

/** The type that bodies have by the members that contracts name in them: open, because others may be sent; `dyn` where none is named. */
export function bodyType(members: readonly BodyMember[] = []): ConditionType {
  if (members.length === 0) return DYN;
  const root = bodyPlaces(members);
  return typeAt(root, root.said?.type ?? 'object', 'request.body');
}

/** @param words the type as the page of the contract has it */
function typeAt({ within, said }: BodyPlace, words: string, name: string): ConditionType {
  const word = plainWord(words);
  if (word.startsWith('list of ') && !word.includes(' or ')) {
    const item = within.get(ANY_ITEM) ?? NOWHERE;
    return listOf(typeAt(item, item.said?.type ?? word.slice('list of '.length), `${name}${ANY_ITEM}`));
  }
  switch (word) {
    case 'string': {
      const form = describedForm(word, said?.values);
      return form ? textLike(form) : STRING;
    }
    case 'number':
    case 'integer':
      return DOUBLE;
    case 'boolean':
      return BOOL;
    case 'null':
      return NULL;
    case 'array': {
      const item = within.get(ANY_ITEM);
      return listOf(item?.said ? typeAt(item, item.said.type, `${name}${ANY_ITEM}`) : DYN);
    }
    case 'object': {
      const named = [...within].filter(([own]) => own !== ANY_NAME);
      const any = within.get(ANY_NAME);
      const others = any?.said ? typeAt(any, any.said.type, `${name}.${ANY_NAME}`) : null;
      if (named.length === 0) return mapOf(others ?? DYN);
      const entries = named.map(([own, place]): [string, MemberType] => [
        own,
        { type: place.said ? typeAt(place, place.said.type, `${name}.${own}`) : DYN, about: place.said?.about ?? '' },
      ]);
      const known = Object.assign(Object.create(null) as Record<string, MemberType>, Object.fromEntries(entries));
      return { kind: 'record', name, members: known, open: true, ...(others ? { others: { type: others, described: true } } : {}) };
    }
    default:
      // Alternatives, what stands in itself, and what is not said.
      return DYN;
  }
}
