import { wordLength, type ConditionFault } from './condition-fault.js';
import { FUNCTIONS, OPERATORS, TYPE_NAMES, type Overload } from './condition-functions.js';
import {
  comparable,
  DYN,
  fits,
  INT,
  joined,
  listOf,
  mapOf,
  NOTHING,
  NULL,
  BOOL,
  BYTES,
  DOUBLE,
  STRING,
  TYPE,
  typeName,
  UINT,
  type ConditionType,
  type MemberType,
} from './condition-type.js';
import { faultOfLiteral, writtenText } from './literal-faults.js';
import type { Expression, ParsedCondition } from './parse-condition.js';
import type { TextForm } from './text-forms.js';

/** What a check finds out: faults in the order of the text, and the type of every expression by its id. */
export interface CheckedCondition {
  readonly faults: readonly ConditionFault[];
  /** Texts that no value of their kind is: asked whether it is one, every request says no. They make nothing unusable. */
  readonly never: readonly ConditionFault[];
  /** Members that are looked at behind open records that do not name them, as `request.body.steps[].gate`. */
  readonly unnamed: readonly string[];
  readonly types: ReadonlyMap<bigint, ConditionType>;
}

/** Holds a condition against what it looks at: names, members, types, and that it says yes or no. @param input the variables that it may use */
export function checkCondition(parsed: ParsedCondition, input: Readonly<Record<string, MemberType>>): CheckedCondition {
  const { type, faults, ...found } = checkExpression(parsed, input);
  if (fits(type, BOOL)) return { faults, ...found };
  const { source, expression, placeOf } = parsed;
  const at = placeOf(expression.id);
  return {
    faults: [...faults, { at, length: wordLength(source, at), says: `a condition says true or false; this is of type ${typeName(type)}` }],
    ...found,
  };
}

/** Finds the type of an expression of any kind. @param input the variables that it may use */
export function checkExpression(parsed: ParsedCondition, input: Readonly<Record<string, MemberType>>): CheckedCondition & { readonly type: ConditionType } {
  const check = new Check(parsed, input);
  const type = check.typeOf(parsed.expression, EMPTY);
  const inOrder = (found: readonly ConditionFault[]): ConditionFault[] => [...found].sort((one, other) => one.at - other.at);
  return { type, faults: inOrder(check.faults), never: inOrder(check.never), unnamed: [...check.unnamed], types: check.types };
}

type Names = ReadonlyMap<string, ConditionType>;
type Kind<Case extends Expression['exprKind']['case']> = Extract<Expression['exprKind'], { readonly case: Case }>['value' & keyof Expression['exprKind']];
type CallOf = Kind<'callExpr'>;

const EMPTY: Names = new Map();
const formOfKeys = (of: ConditionType): TextForm | null => (of.kind === 'map' && of.key.kind === 'string' ? (of.key.form ?? null) : null);
const CONSTANTS: Readonly<Record<string, ConditionType>> = {
  boolValue: BOOL,
  int64Value: INT,
  uint64Value: UINT,
  doubleValue: DOUBLE,
  stringValue: STRING,
  bytesValue: BYTES,
  nullValue: NULL,
};

class Check {
  readonly faults: ConditionFault[] = [];
  readonly never: ConditionFault[] = [];
  readonly unnamed = new Set<string>();
  readonly types = new Map<bigint, ConditionType>();
  readonly #parsed: ParsedCondition;
  readonly #input: Readonly<Record<string, MemberType>>;

  constructor(parsed: ParsedCondition, input: Readonly<Record<string, MemberType>>) {
    this.#parsed = parsed;
    this.#input = input;
  }

  fault(expression: Expression, says: string): ConditionType {
    this.#say(this.faults, expression, says);
    return DYN;
  }

  #say(found: ConditionFault[], { id }: Expression, says: string): void {
    const { source, placeOf } = this.#parsed;
    const at = placeOf(id);
    if (!found.some((other) => other.at === at && other.says === says)) found.push({ at, length: wordLength(source, at), says });
  }

  /** Says so where a text that is written out is none of a kind: of one text, or of those in a list. */
  #heldTo(type: ConditionType, written: Expression | undefined): void {
    if (type.kind !== 'string' || type.form === undefined || !written) return;
    const { exprKind } = written;
    if (exprKind.case === 'listExpr') for (const item of exprKind.value.elements) this.#heldTo(type, item);
    const text = writtenText(written);
    const says = text === null ? null : type.form(text);
    if (says !== null) this.#say(this.never, written, says);
  }

  /** @param names variables of macros around it */
  typeOf(expression: Expression | undefined, names: Names): ConditionType {
    if (!expression) return DYN;
    const type = this.#infer(expression, names);
    this.types.set(expression.id, type);
    return type;
  }

  #infer(expression: Expression, names: Names): ConditionType {
    const { exprKind } = expression;
    switch (exprKind.case) {
      case 'constExpr':
        return CONSTANTS[exprKind.value.constantKind.case ?? ''] ?? DYN;
      case 'identExpr':
        return this.#variable(expression, exprKind.value.name, names);
      case 'selectExpr': {
        const { operand, field, testOnly } = exprKind.value;
        const type = this.#member(expression, this.typeOf(operand, names), field);
        return testOnly ? BOOL : type;
      }
      case 'listExpr':
        return listOf(exprKind.value.elements.map((element) => this.typeOf(element, names)).reduce(joined, NOTHING));
      case 'structExpr':
        return this.#struct(expression, exprKind.value, names);
      case 'comprehensionExpr':
        return this.#macro(expression, exprKind.value, names);
      case 'callExpr':
        return this.#call(expression, exprKind.value, names);
      default:
        return this.fault(expression, 'this cannot be used in a condition');
    }
  }

  #variable(expression: Expression, name: string, names: Names): ConditionType {
    const known = names.get(name) ?? this.#input[name]?.type;
    if (known) return known;
    if (TYPE_NAMES.has(name)) return TYPE;
    return this.fault(expression, `nothing is called ${name}; there are ${Object.keys(this.#input).join(', ')}`);
  }

  #member(expression: Expression, of: ConditionType, name: string): ConditionType {
    if (of.kind === 'dyn') return DYN;
    if (of.kind === 'map' && of.lowerCase && name !== name.toLowerCase())
      return this.fault(expression, `names of header fields are in lower case here: ${name.toLowerCase()}`);
    const says = formOfKeys(of)?.(name) ?? null;
    if (says !== null) this.#say(this.never, expression, says);
    if (of.kind === 'map') return fits(STRING, of.key) ? of.of : this.fault(expression, `its keys are of type ${typeName(of.key)}`);
    if (of.kind !== 'record') return this.fault(expression, `a ${typeName(of)} has no members`);
    const member = of.members[name];
    if (member === undefined && of.open === true) {
      this.#unheard(of, name);
      return of.others?.type ?? DYN;
    }
    const there = Object.keys(of.members);
    return member?.type ?? this.fault(expression, `${of.name} has no member ${name}; ${there.length === 0 ? 'it has none' : `it has ${there.join(', ')}`}`);
  }

  /** Remembers a name that nobody described. */
  #unheard(of: ConditionType, name: string): void {
    if (of.kind === 'record' && of.open === true && !(name in of.members) && of.others?.described !== true) this.unnamed.add(`${of.name}.${name}`);
  }

  #struct(expression: Expression, { messageName, entries }: Kind<'structExpr'>, names: Names): ConditionType {
    if (messageName !== '') return this.fault(expression, `no type is called ${messageName}`);
    let key = NOTHING;
    let of = NOTHING;
    for (const entry of entries) {
      const keyType = entry.keyKind.case === 'mapKey' ? this.typeOf(entry.keyKind.value, names) : DYN;
      key = joined(key, keyType);
      of = joined(of, this.typeOf(entry.value, names));
    }
    return mapOf(of, key);
  }

  #macro(expression: Expression, macro: Kind<'comprehensionExpr'>, names: Names): ConditionType {
    const range = this.typeOf(macro.iterRange, names);
    let item: ConditionType = DYN;
    if (range.kind === 'list') item = range.of;
    else if (range.kind === 'map') item = range.key;
    else if (range.kind === 'record') item = STRING;
    else if (range.kind !== 'dyn') this.fault(expression, `it goes over the items of a list or the keys of a map, not over a ${typeName(range)}`);
    const start = this.typeOf(macro.accuInit, names);
    const inner = new Map([...names, [macro.iterVar, item], [macro.accuVar, start]]);
    this.typeOf(macro.loopCondition, inner);
    const step = this.typeOf(macro.loopStep, inner);
    return this.typeOf(macro.result, new Map([...inner, [macro.accuVar, start.kind === 'list' ? step : start]]));
  }

  #call(expression: Expression, call: CallOf, names: Names): ConditionType {
    const target = call.target ? this.typeOf(call.target, names) : null;
    const args = call.args.map((arg) => this.typeOf(arg, names));
    const [first = DYN, second = DYN, third = DYN] = args;
    switch (call.function) {
      case '_==_':
      case '_!=_':
        this.#heldTo(first, call.args[1]);
        this.#heldTo(second, call.args[0]);
        return comparable(first, second) ? BOOL : this.fault(expression, `a ${typeName(first)} never equals a ${typeName(second)}`);
      case '@in':
        this.#heldTo(first, call.args[1]);
        if (writtenText(call.args[0]) !== null) this.#unheard(second, writtenText(call.args[0]) as string);
        if (second.kind === 'list' || second.kind === 'map') this.#heldTo(second.kind === 'list' ? second.of : second.key, call.args[0]);
        return this.#in(expression, first, second);
      case '_[_]':
        return this.#index(expression, call, first, second);
      case '_?_:_':
        if (!fits(first, BOOL)) this.fault(expression, `in front of ? stands true or false, not a ${typeName(first)}`);
        return joined(second, third);
      case '@not_strictly_false':
        return BOOL;
      case '_+_':
        if (first.kind === 'list' && second.kind === 'list') return joined(first, second);
    }
    const operator = OPERATORS[call.function];
    const overloads: readonly Overload[] | undefined = operator?.overloads ?? FUNCTIONS[call.function];
    if (call.function === 'has') return this.fault(expression, 'has() asks for a member behind a dot; for a name in quotes write "name" in …');
    if (!overloads) return this.fault(expression, `there is no function ${call.function}`);
    const matching = overloads.filter((one) => takes(one, target, args));
    if (matching.length === 0)
      return this.fault(expression, operator ? wrongOperands(operator.sign, args, overloads) : wrongCall(call.function, overloads, target, args));
    const literal = faultOfLiteral(call);
    if (literal !== null) return this.fault(literal.at, literal.says);
    return matching.map(({ result }) => result).reduce(joined);
  }

  #in(expression: Expression, item: ConditionType, of: ConditionType): ConditionType {
    if (of.kind === 'dyn') return BOOL;
    const asked = of.kind === 'list' ? of.of : of.kind === 'map' ? of.key : of.kind === 'record' ? STRING : null;
    if (asked === null) return this.fault(expression, `behind in stands a list or a map, not a ${typeName(of)}`);
    return comparable(item, asked) ? BOOL : this.fault(expression, `a ${typeName(item)} is never in a ${typeName(of)}`);
  }

  #index(expression: Expression, { args }: CallOf, of: ConditionType, by: ConditionType): ConditionType {
    if (of.kind === 'dyn') return DYN;
    const written = writtenText(args[1]);
    if (written !== null && (of.kind === 'record' || formOfKeys(of) !== null)) return this.#member(expression, of, written);
    if (of.kind === 'list') return comparable(by, INT) ? of.of : this.fault(expression, `items of a list are numbered, from 0; this is a ${typeName(by)}`);
    if (of.kind === 'map') return comparable(by, of.key) ? of.of : this.fault(expression, `its keys are of type ${typeName(of.key)}, not ${typeName(by)}`);
    if (of.kind !== 'record') return this.fault(expression, `a ${typeName(of)} has no items`);
    return fits(by, STRING) ? DYN : this.fault(expression, `members of ${of.name} are called by texts`);
  }
}

function takes({ target, args }: Overload, given: ConditionType | null, types: readonly ConditionType[]): boolean {
  if ((target === null) !== (given === null) || args.length !== types.length) return false;
  return (target === null || given === null || fits(given, target)) && args.every((asked, index) => fits(types[index] ?? DYN, asked));
}

function wrongOperands(sign: string, types: readonly ConditionType[], overloads: readonly Overload[]): string {
  if (types.length === 1) return `${sign} does not go with a ${typeName(types[0] ?? DYN)}`;
  // Numbers of different kinds compare and do not reckon with one another.
  const mixed = types.includes(DOUBLE) && types.includes(INT) && overloads.some((one) => takes(one, null, [DOUBLE, DOUBLE]));
  return `${sign} does not go with ${types.map(typeName).join(' and ')}${mixed ? '; a whole number is a double where it is written as 1.0' : ''}`;
}

function wrongCall(name: string, overloads: readonly Overload[], target: ConditionType | null, types: readonly ConditionType[]): string {
  const written = (of: ConditionType | null, args: readonly ConditionType[]): string =>
    `${of ? `${typeName(of)}.` : ''}${name}(${args.map(typeName).join(', ')})`;
  const ways = [...new Set(overloads.map((one) => written(one.target, one.args)))];
  return `${written(target, types)} is not there; there ${ways.length === 1 ? 'is' : 'are'} ${ways.join(', ')}`;
}
