import { compileCondition } from '../condition/compile-condition.js';
import { placeIn } from '../condition/condition-fault.js';
import { OPEN_SCOPE } from '../condition/condition-input.js';
import { CONDITION_BOUNDS, type ConditionRule, type ConditionUse } from '../document/condition-rule.js';
import { checkName, fail, unique } from './check-values.js';

/** Checks the shared conditions: their names, and that each is one, whoever calls it. @throws ConfigError */
export function* checkSharedConditions(conditions: readonly ConditionRule[], at: string): Generator<void, void> {
  if (conditions.length > CONDITION_BOUNDS.shared) fail(at, `at most ${CONDITION_BOUNDS.shared} conditions are shared`);
  unique(
    conditions.map(({ name }) => name.toLowerCase()),
    (index) => `${at}/${index}/name`,
    'two conditions have the same name',
  );
  for (const [index, { name, source }] of conditions.entries()) {
    checkName(name, `${at}/${index}/name`);
    const compiled = compileCondition(source, OPEN_SCOPE);
    if ('evaluate' in compiled) continue;
    const [first] = compiled;
    const { line, column } = placeIn(source, first?.at ?? 0);
    fail(`${at}/${index}/source`, `${first?.says ?? ''} (line ${line}, column ${column})`);
    yield;
  }
}

/** Checks the conditions of a rule, apart from their sources, which are held against each operation. @throws ConfigError */
export function checkConditionUses(uses: readonly ConditionUse[], shared: ReadonlySet<string>, at: string): void {
  if (uses.length > CONDITION_BOUNDS.perRule) fail(at, `at most ${CONDITION_BOUNDS.perRule} conditions stand in one rule`);
  unique(
    uses.map(({ name }) => name.toLowerCase()),
    (index) => `${at}/${index}/name`,
    'two conditions have the same name',
  );
  uses.forEach((use, index) => {
    if (use.kind === 'own') checkName(use.name, `${at}/${index}/name`);
    else if (!shared.has(use.name)) fail(`${at}/${index}/name`, `there is no condition called ${use.name.slice(0, 60)}`);
  });
}
