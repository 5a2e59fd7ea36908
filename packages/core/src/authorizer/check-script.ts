import { parse, type AnyNode, type Node, type Pattern } from 'acorn';
import type { ConditionFault } from '../condition/condition-fault.js';
import { inputOf, OPEN_SCOPE, type ConditionScope, type DescribedTypes } from '../condition/condition-input.js';
import type { ConditionType } from '../condition/condition-type.js';
import { AUTHORIZER_BOUNDS } from '../document/authorizer-rule.js';

/** The type of what a script is called with. @param described what is believed of requests */
export function scriptInput(scope: ConditionScope, described?: DescribedTypes): ConditionType {
  return { kind: 'record', name: 'input', members: inputOf(scope, described) };
}

/**
 * Holds a script against what it is called with: that it is JavaScript, has a function `decide`, imports nothing, and reads only
 * members that its input has. Whether it does what it should is for its cases.
 */
export function checkScript(source: string, scope: ConditionScope = OPEN_SCOPE): readonly ConditionFault[] {
  if (source.trim() === '') return [{ at: 0, length: 0, says: 'a script has a function decide(input); this is empty' }];
  if (source.length > AUTHORIZER_BOUNDS.source)
    return [
      { at: AUTHORIZER_BOUNDS.source, length: source.length - AUTHORIZER_BOUNDS.source, says: `a script has at most ${AUTHORIZER_BOUNDS.source} characters` },
    ];
  let program: ReturnType<typeof parse>;
  try {
    // As the sandbox runs it: strict, and no module.
    program = parse(`"use strict";${source}`, { ecmaVersion: 2023, sourceType: 'script' });
  } catch (error) {
    const at = Math.min(Math.max(0, ((error as { pos?: number }).pos ?? PREFIX) - PREFIX), source.length);
    const says = error instanceof RangeError ? 'brackets stand too deep in one another' : (error as Error).message.replace(/ \(\d+:\d+\)$/, '');
    return [{ at, length: Math.max(1, /^[\w$]*/.exec(source.slice(at))?.[0].length ?? 1), says }];
  }
  const decide = program.body.map(decideOf).find((found) => found !== null);
  if (!decide) return [{ at: 0, length: 0, says: 'a script has a function decide(input) at its outermost level' }];
  if (decide.async || decide.generator)
    return [{ at: decide.start - PREFIX, length: 'async'.length, says: 'decide answers at once: it is neither async nor a generator' }];
  const names = new Map<string, ConditionType>();
  const [parameter] = decide.params;
  if (parameter) bind(parameter, scriptInput(scope), names);
  const faults: ConditionFault[] = [];
  look(program, names, faults);
  return faults;
}

const PREFIX = '"use strict";'.length;

interface Decide {
  readonly start: number;
  readonly params: readonly Pattern[];
  readonly async: boolean;
  readonly generator: boolean;
}

/** The function `decide`, where a statement makes it. */
function decideOf(statement: AnyNode): Decide | null {
  if (statement.type === 'FunctionDeclaration') return statement.id?.name === 'decide' ? statement : null;
  if (statement.type !== 'VariableDeclaration') return null;
  for (const { id, init } of statement.declarations)
    if (id.type === 'Identifier' && id.name === 'decide' && (init?.type === 'ArrowFunctionExpression' || init?.type === 'FunctionExpression')) return init;
  return null;
}

/** Gives the names of a parameter their types. */
function bind(pattern: Pattern, type: ConditionType | undefined, names: Map<string, ConditionType>): void {
  if (type === undefined) return;
  if (pattern.type === 'Identifier') names.set(pattern.name, type);
  else if (pattern.type === 'AssignmentPattern') bind(pattern.left, type, names);
  else if (pattern.type === 'ObjectPattern')
    for (const property of pattern.properties)
      if (property.type === 'Property' && !property.computed && property.key.type === 'Identifier' && type.kind === 'record')
        bind(property.value, type.members[property.key.name]?.type, names);
}

/** Goes through a tree; a name that is declared anew anywhere means something else there, so that it is not looked at at all. */
function look(program: AnyNode, names: Map<string, ConditionType>, faults: ConditionFault[]): void {
  const nodes: AnyNode[] = [];
  const pending: AnyNode[] = [program];
  for (let node = pending.pop(); node; node = pending.pop()) {
    nodes.push(node);
    for (const value of Object.values(node) as unknown[])
      for (const item of Array.isArray(value) ? (value as unknown[]) : [value]) if (isNode(item)) pending.push(item as AnyNode);
  }
  nodes.sort((one, other) => one.start - other.start);
  const declared = new Map<string, number>();
  for (const name of nodes.flatMap(declaredBy)) declared.set(name, (declared.get(name) ?? 0) + 1);
  const drop = (): void => [...names.keys()].filter((name) => declared.get(name) !== 1).forEach((name) => names.delete(name));
  drop();
  for (const node of nodes) {
    if (node.type !== 'VariableDeclarator' || !node.init) continue;
    bind(node.id, typeOf(node.init, names), names);
    drop();
  }
  for (const node of nodes) {
    if (node.type === 'ImportExpression') faults.push({ at: node.start - PREFIX, length: 'import'.length, says: 'a script imports nothing' });
    if (node.type !== 'MemberExpression' || node.computed || node.property.type !== 'Identifier') continue;
    const type = typeOf(node.object, names);
    const { name, start } = node.property;
    if (type?.kind === 'record' && !Object.hasOwn(type.members, name))
      faults.push({ at: start - PREFIX, length: name.length, says: `${type.name} has no member ${name}` });
  }
  faults.sort((one, other) => one.at - other.at);
}

/** Names that a node makes: variables, parameters, functions, classes. */
function declaredBy(node: AnyNode): string[] {
  switch (node.type) {
    case 'VariableDeclarator':
      return namesIn(node.id);
    case 'FunctionDeclaration':
    case 'FunctionExpression':
    case 'ArrowFunctionExpression':
      return [...(node.type !== 'ArrowFunctionExpression' && node.id ? [node.id.name] : []), ...node.params.flatMap(namesIn)];
    case 'ClassDeclaration':
      return node.id ? [node.id.name] : [];
    case 'CatchClause':
      return node.param ? namesIn(node.param) : [];
    default:
      return [];
  }
}

const isNode = (value: unknown): value is Node => typeof value === 'object' && value !== null && typeof (value as { type?: unknown }).type === 'string';

function namesIn(pattern: Pattern): string[] {
  switch (pattern.type) {
    case 'Identifier':
      return [pattern.name];
    case 'AssignmentPattern':
      return namesIn(pattern.left);
    case 'RestElement':
      return namesIn(pattern.argument);
    case 'ArrayPattern':
      return pattern.elements.flatMap((element) => (element ? namesIn(element) : []));
    case 'ObjectPattern':
      return pattern.properties.flatMap((property) => namesIn(property.type === 'Property' ? property.value : property.argument));
    default:
      return [];
  }
}

/** The type of what a chain of members names; undefined where it is not known. */
function typeOf(node: AnyNode, names: ReadonlyMap<string, ConditionType>): ConditionType | undefined {
  if (node.type === 'Identifier') return names.get(node.name);
  if (node.type === 'ChainExpression') return typeOf(node.expression, names);
  if (node.type !== 'MemberExpression') return undefined;
  const type = typeOf(node.object, names);
  if (node.computed || node.property.type !== 'Identifier') return type?.kind === 'map' ? type.of : undefined;
  return type?.kind === 'record' ? type.members[node.property.name]?.type : type?.kind === 'map' ? type.of : undefined;
}
