import { ANY_ITEM } from '../contract/body-members.js';
import { FUNCTIONS, MACROS } from './condition-functions.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import { mapOf, typeName, type ConditionType } from './condition-type.js';
import { describedTypes } from './described-types.js';

/** Something that could stand at a place of a condition. */
export interface ConditionWord {
  readonly word: string;
  readonly kind: 'variable' | 'member' | 'function';
  /** Its type, or how it is called. */
  readonly detail: string;
  readonly about: string;
}

export interface ConditionWords {
  /** Where the word that is being written begins. */
  readonly from: number;
  readonly words: readonly ConditionWord[];
}

/** A name with brackets behind it, as `steps[0]`, and a dot behind those. Nothing stands in the brackets that has brackets itself. */
const LINK = String.raw`[A-Za-z_]\w*\s*(?:\[[^[\]]*\]\s*)*`;
const BEFORE = new RegExp(String.raw`(?<chain>(?:${LINK}\.\s*)*)(?<word>[A-Za-z_]\w*)?$`);
/** A macro that gives the items of what stands before it a name: `list.exists(item, …`. */
const NAMING = new RegExp(String.raw`((?:${LINK}\.\s*)+)(?:all|exists|exists_one|filter|map)\(\s*([A-Za-z_]\w*)\s*,`, 'g');
const IDENTIFIER = /^[A-Za-z_]\w*$/;

/** What could stand at a place of a condition that is being written: members behind a dot, else variables and functions. */
export function completeCondition(source: string, at: number, scope: ConditionScope): ConditionWords {
  const written = source.slice(0, at);
  const before = BEFORE.exec(written)?.groups ?? {};
  const from = at - (before['word']?.length ?? 0);
  const input = inputOf(scope, describedTypes(scope));
  const chain = linksOf(before['chain'] ?? '');
  if (chain.length === 0) {
    const variables = Object.entries(input).map(([word, { type, about }]): ConditionWord => ({ word, kind: 'variable', detail: shortName(type), about }));
    const functions = ['has', ...namesOf(null)].map((word): ConditionWord => ({ word, kind: 'function', detail: `${word}(…)`, about: ABOUT[word] ?? '' }));
    return { from, words: [...variables, ...functions] };
  }
  const way = resolved(chain, written);
  let type: ConditionType | undefined = input[way[0] as string]?.type;
  for (const link of way.slice(1)) type = type && behind(type, link);
  const members = type?.kind === 'record' ? type.members : {};
  return {
    from,
    words: [
      ...(way[0] === 'request' && way[1] === 'body'
        ? bodyWords(way.slice(2), scope)
        : Object.entries(members).flatMap(([word, member]): ConditionWord[] =>
            IDENTIFIER.test(word) ? [{ word, kind: 'member', detail: shortName(member.type), about: member.about }] : [],
          )),
      ...(type ? namesOf(type) : []).map((word): ConditionWord => ({ word, kind: 'function', detail: `.${word}(…)`, about: ABOUT[word] ?? '' })),
    ],
  };
}

/** Names of a chain, and what stands in brackets: a name in quotes, or any item. */
const linksOf = (chain: string): string[] =>
  [...chain.matchAll(/([A-Za-z_]\w*)|\[\s*(?:["']([^"'\\]*)["'])?[^\]]*\]/g)].map(([, name, quoted]) => name ?? quoted ?? ANY_ITEM);

/** A chain from a variable on: where it begins with an item of a macro, with what that is an item of. */
function resolved(chain: readonly string[], written: string): readonly string[] {
  let way = chain;
  // The macro nearest before it names it; what that goes over may be an item of another one.
  for (const [, over = '', name] of [...written.matchAll(NAMING)].reverse()) if (way[0] === name) way = [...linksOf(over), ANY_ITEM, ...way.slice(1)];
  return way;
}

function behind(type: ConditionType, link: string): ConditionType | undefined {
  switch (type.kind) {
    case 'list':
      return link === ANY_ITEM ? type.of : undefined;
    case 'map':
      return type.of;
    case 'record':
      return type.members[link]?.type ?? type.others?.type;
    default:
      return undefined;
  }
}

/** Members of the body that a contract names behind some others. */
const bodyWords = (names: readonly string[], { bodyMembers = [] }: ConditionScope): ConditionWord[] =>
  bodyMembers.flatMap(({ path, type, about }): ConditionWord[] => {
    const word = path[names.length];
    const isNext = path.length === names.length + 1 && word !== undefined && IDENTIFIER.test(word) && names.every((name, index) => path[index] === name);
    return isNext ? [{ word, kind: 'member', detail: type, about }] : [];
  });

const shortName = (type: ConditionType): string => (type.kind === 'record' ? 'record' : typeName(type));

/** Functions that stand alone, or those that go with a value of a type. */
function namesOf(given: ConditionType | null): string[] {
  // A record that has others too is gone over like a map.
  const type = given?.kind === 'record' && given.others ? mapOf(given.others.type) : given;
  const names = Object.entries(FUNCTIONS)
    .filter(([, overloads]) => overloads.some(({ target }) => (type === null ? target === null : target !== null && target.kind === type.kind)))
    .map(([name]) => name);
  return type !== null && (type.kind === 'list' || type.kind === 'map') ? [...MACROS, ...names] : names;
}

const ABOUT: Readonly<Record<string, string>> = {
  has: 'Whether a member is there, as in has(request.query.season)',
  all: 'Whether something holds for all items, as in list.all(x, x != "")',
  exists: 'Whether something holds for at least one item, as in list.exists(x, x == "rider")',
  exists_one: 'Whether something holds for exactly one item',
  filter: 'The items for which something holds',
  map: 'What is made of each item',
  matches: 'Whether a pattern (RE2) is found in it; begin with ^ and end with $ for the whole',
  getHours: 'Hours from 0 to 23, in UTC or in a zone: now.getHours("Europe/Berlin")',
  getDayOfWeek: 'Day of the week, 0 for Sunday, in UTC or in a zone',
  getDate: 'Day of the month from 1, in UTC or in a zone',
  getDayOfMonth: 'Day of the month from 0, in UTC or in a zone',
  getMonth: 'Month from 0, in UTC or in a zone',
  size: 'How many items or characters it has',
  duration: 'A length of time, as in duration("90s")',
  timestamp: 'A time, as in timestamp("2026-05-01T06:00:00Z")',
  int: 'A whole number made of a text or number',
};
