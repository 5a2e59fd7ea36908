import { namedNumbers, withBodyMember } from '../reach/condition-changes.js';
import { isRecord } from '../util/json-pointer.js';
import type { SupposedCall } from '../suppose/supposition.js';
import { attack, type Attack, type AttackGround } from './attacks.js';

/**
 * Bodies that the rules of an operation read and do not let in, of a caller that is let in with another one: without one member
 * that is asked for, with another value of it, and such as readers take differently or cannot read. Whether a rule refuses each is for
 * the rule itself to say.
 */
export function contentAttacks({ guard }: AttackGround, passing: SupposedCall): Attack[] {
  const { request } = passing;
  const { body } = request;
  if (typeof body !== 'object' || body === null) return [];
  if (!guard.ahead.some(({ readsBody, mode }) => readsBody === true && mode === 'enforce')) return [];
  const { content } = body;
  const said = (text: string | null, headers = request.headers): SupposedCall => ({
    ...passing,
    request: { ...request, headers, body: text === null ? null : { content: text } },
  });
  const own = 'a good caller, ';
  const attacks = [
    attack('body none', `${own}no body`, said(null)),
    attack('body empty', `${own}a body of an empty object`, said('{}')),
    attack('body null', `${own}a body that is null`, said('null')),
    attack('body cut', `${own}a body that ends early`, said(content.slice(0, -1))),
    attack('body of another type', `${own}the same body called text`, said(content, { ...request.headers, 'content-type': 'text/plain' })),
  ];
  // Numbers that the rule names, those on the other side of its comparisons, and those that are far beyond.
  const numbers = [...namedNumbers(guard).slice(0, MOST), 1e9, -1e9];
  for (const names of leaves(JSON.parse(content))) {
    const called = names.join('.');
    const put = (id: string, title: string, value: unknown): void => {
      const text = withBodyMember(body, names, value);
      if (text !== null) attacks.push(attack(`body ${id} ${called}`, `${own}a body ${title}`, said(text)));
    };
    put('without', `without ${called}`, undefined);
    put('another', `with another ${called}`, 'trial-elsewhere');
    for (const number of numbers) put(`number ${number}`, `with ${number} as ${called}`, number);
    put('list', `with a list as ${called}`, ['trial-elsewhere']);
    put('null', `with null as ${called}`, null);
    const [first, ...below] = names;
    if (below.length === 0 && first !== undefined)
      attacks.push(
        attack(`body twice ${called}`, `${own}a body in which ${called} stands twice`, said(`{${JSON.stringify(first)}:"trial-elsewhere",${content.slice(1)}`)),
      );
  }
  return attacks;
}

/** Members of a body so many levels deep, and so many of them. */
const DEEP = 4;
const MOST = 12;

function leaves(value: unknown, before: readonly string[] = []): string[][] {
  if (!isRecord(value) || before.length >= DEEP) return [];
  return Object.entries(value)
    .flatMap(([name, item]) => (isRecord(item) ? leaves(item, [...before, name]) : [[...before, name]]))
    .slice(0, MOST);
}
