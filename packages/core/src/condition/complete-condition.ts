import { bodyType } from './body-type.js';
import { FUNCTIONS, MACROS } from './condition-functions.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import { typeName, type ConditionType } from './condition-type.js';

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

/** What could stand at a place of a condition that is being written: members behind a dot, else variables and functions. */
export function completeCondition(source: string, at: number, scope: ConditionScope): ConditionWords {
  const before = /(?<chain>(?:[A-Za-z_]\w*\s*\.\s*)*)(?<word>[A-Za-z_]\w*)?$/.exec(source.slice(0, at))?.groups ?? {};
  const from = at - (before['word']?.length ?? 0);
  const chain = (before['chain'] ?? '')
    .split('.')
    .map((part) => part.trim())
    .filter(Boolean);
  const input = inputOf(scope, bodyType(scope.bodyMembers));
  if (chain.length === 0) {
    const variables = Object.entries(input).map(([word, { type, about }]): ConditionWord => ({ word, kind: 'variable', detail: shortName(type), about }));
    const functions = ['has', ...namesOf(null)].map((word): ConditionWord => ({ word, kind: 'function', detail: `${word}(…)`, about: ABOUT[word] ?? '' }));
    return { from, words: [...variables, ...functions] };
  }
  let type: ConditionType | undefined = input[chain[0] as string]?.type;
  for (const part of chain.slice(1)) type = type?.kind === 'record' ? type.members[part]?.type : type?.kind === 'map' ? type.of : undefined;
  const inBody = chain[0] === 'request' && chain[1] === 'body';
  const members = type?.kind === 'record' ? type.members : {};
  return {
    from,
    words: [
      ...(inBody
        ? bodyWords(chain.slice(2), scope)
        : chain.length === 2 && chain[0] === 'request' && chain[1] === 'query'
          ? queryWords(scope)
          : Object.entries(members).map(([word, member]): ConditionWord => ({ word, kind: 'member', detail: shortName(member.type), about: member.about }))),
      ...(type ? namesOf(type) : []).map((word): ConditionWord => ({ word, kind: 'function', detail: `.${word}(…)`, about: ABOUT[word] ?? '' })),
    ],
  };
}

/** Members of the body that a contract names behind some others. */
const bodyWords = (names: readonly string[], { bodyMembers = [] }: ConditionScope): ConditionWord[] =>
  bodyMembers.flatMap(({ path, type, about }): ConditionWord[] => {
    const word = path[names.length];
    const isNext = path.length === names.length + 1 && word !== undefined && word !== '*' && names.every((name, index) => path[index] === name);
    return isNext ? [{ word, kind: 'member', detail: type, about }] : [];
  });

/** Parameters of the query that a contract names, as far as a name can stand behind a dot. */
export const queryWords = ({ queryParameters }: ConditionScope): ConditionWord[] =>
  (queryParameters ?? []).flatMap(({ name, about }) => (/^[A-Za-z_]\w*$/.test(name) ? [{ word: name, kind: 'member', detail: 'string', about }] : []));

const shortName = (type: ConditionType): string => (type.kind === 'record' ? 'record' : typeName(type));

/** Functions that stand alone, or those that go with a value of a type. */
function namesOf(type: ConditionType | null): string[] {
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
