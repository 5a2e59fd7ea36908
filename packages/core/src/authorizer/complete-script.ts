import { describedTypes } from '../condition/described-types.js';
import type { ConditionWords } from '../condition/complete-condition.js';
import type { ConditionScope } from '../condition/condition-input.js';
import { typeName, type ConditionType } from '../condition/condition-type.js';
import { scriptInput } from './check-script.js';

const ANSWER: readonly (readonly [string, string])[] = [
  ['allow', 'true lets the request pass'],
  ['reason', 'Why, for operators'],
  ['tell', 'Whether the caller may read the reason'],
  ['signIn', 'With allow false: 401, the caller should prove itself again'],
  ['headers', 'Header fields to pass up, of those that the authorizer may'],
  ['covers', 'Requests that the answer is good for: [{ method, path }]'],
  ['seconds', 'How long it is good'],
];

/** What could stand at a place of a script that is being written: members behind a dot, else what it is called with and what it answers with. */
export function completeScript(source: string, at: number, scope: ConditionScope): ConditionWords {
  const before = /(?<chain>(?:[A-Za-z_]\w*\s*\??\.\s*)*)(?<word>[A-Za-z_]\w*)?$/.exec(source.slice(0, at))?.groups ?? {};
  const from = at - (before['word']?.length ?? 0);
  const chain = (before['chain'] ?? '')
    .split(/\??\./)
    .map((part) => part.trim())
    .filter(Boolean);
  const input = scriptInput(scope, describedTypes(scope));
  const roots = input.kind === 'record' ? input.members : {};
  if (chain.length === 0)
    return {
      from,
      words: [
        ...Object.entries(roots).map(([word, { type, about }]) => ({ word, kind: 'variable' as const, detail: described(type), about })),
        { word: 'timeOf', kind: 'function' as const, detail: 'timeOf(…)', about: 'Milliseconds since the epoch of a time, as in timeOf(now)' },
        ...ANSWER.map(([word, about]) => ({ word, kind: 'member' as const, detail: 'of the answer', about })),
      ],
    };
  const [first, ...rest] = chain as [string, ...string[]];
  // Whatever the parameter is called, its members are those of the input.
  let type: ConditionType | undefined = roots[first]?.type ?? (first === 'input' ? input : undefined);
  for (const part of rest) type = type?.kind === 'record' ? type.members[part]?.type : type?.kind === 'map' ? type.of : undefined;
  const members = type?.kind === 'record' ? type.members : {};
  return {
    from,
    words: [
      ...Object.entries(members).flatMap(([word, member]) =>
        /^[A-Za-z_]\w*$/.test(word) ? [{ word, kind: 'member' as const, detail: described(member.type), about: member.about }] : [],
      ),
    ],
  };
}

/** A type as JavaScript has it. */
function described(type: ConditionType): string {
  switch (type.kind) {
    case 'record':
    case 'map':
      return 'object';
    case 'timestamp':
      return 'time as text';
    case 'double':
      return 'number';
    case 'bool':
      return 'boolean';
    case 'list':
      return `list of ${described(type.of)}`;
    default:
      return type.kind === 'dyn' ? 'anything' : typeName(type);
  }
}
