import { portsOf, TestKeys } from '../../test/support.js';
import { AnswerMemory } from '../authorizer/answer-memory.js';
import type { NotAsked } from '../authorizer/ask.js';
import type { ScriptRun } from '../authorizer/script-sandbox.js';
import type { AuthorizerRule } from '../document/authorizer-rule.js';
import type { Ports } from './ports.js';
import { runCases } from './run-case.js';

const RULE: AuthorizerRule = {
  name: 'by hour',
  description: '',
  by: { kind: 'script', source: 'function decide() { return { allow: true }; }', timeMs: 20, megabytes: 8, tables: [], body: false },
  passes: [],
  cache: null,
  cases: [],
};
const ALLOW: ScriptRun = { kind: 'answer', text: '{"allow":true}' };

/** Ports whose scripts come to these ends, one after the other; the last one again and again. */
function endingAs(ends: readonly (ScriptRun | NotAsked)[]): { readonly ports: Ports; readonly asked: () => number } {
  let asked = 0;
  const authorizers: Ports['authorizers'] = {
    run: () => Promise.resolve(ends[Math.min(asked++, ends.length - 1)] as ScriptRun | NotAsked),
    ask: () => Promise.resolve({ kind: 'unavailable', says: 'nobody is asked' }),
    answers: new AnswerMemory(),
    told: () => undefined,
  };
  return { ports: { ...portsOf(new TestKeys()), authorizers }, asked: () => asked };
}

describe('a case of a script', () => {
  test.each<[string, (ScriptRun | NotAsked)[], string, number]>([
    ['holds at once', [ALLOW], 'allow', 1],
    ['is asked again where the machine was busy', [{ kind: 'time' }, ALLOW], 'allow', 2],
    ['is asked again where it was not come to', [{ kind: 'busy', says: 'it waited for 2000 ms' }, { kind: 'time' }, ALLOW], 'allow', 3],
    ['is asked twice more at most: what is slow is so each time', [{ kind: 'time' }], 'error', 3],
    ['is not asked again for anything else', [{ kind: 'memory' }, ALLOW], 'error', 1],
  ])('%s', async (_name, ends, says, times) => {
    const { ports, asked } = endingAs(ends);
    const [outcome] = await runCases(RULE, ['{}'], ports);
    expect([outcome?.says, asked()]).toEqual([says, times]);
  });
});
