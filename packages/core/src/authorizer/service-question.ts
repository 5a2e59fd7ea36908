import { compileValue, type CompiledValue } from '../condition/compile-value.js';
import { placeIn, type ConditionFault } from '../condition/condition-fault.js';
import { OPEN_SCOPE } from '../condition/condition-input.js';
import type { MemberPath } from '../condition/member-paths.js';
import type { ServiceQuestion } from '../document/authorizer-rule.js';

/** A question ready to be asked. */
export interface CompiledQuestion {
  readonly looksAt: readonly MemberPath[];
  /** The request of an access evaluation, as JSON text. @throws Error in words for what comes to no value */
  readonly write: (variables: Readonly<Record<string, unknown>>) => string;
}

/** An expression of a question that is wrong, by the pointer of its member. */
export interface QuestionFault extends ConditionFault {
  readonly pointer: string;
}

/**
 * Compiles what a decision service is asked: subject, action, resource and context of an Access Evaluation of the OpenID AuthZEN
 * Authorization API 1.0 (from memory).
 */
export function compileQuestion(question: ServiceQuestion): CompiledQuestion | QuestionFault {
  const compiled = new Map<string, CompiledValue>();
  for (const [pointer, source] of sourcesOf(question)) {
    const value = compileValue(source, OPEN_SCOPE);
    if ('evaluate' in value) compiled.set(pointer, value);
    else return { pointer, ...(value[0] ?? { at: 0, length: 0, says: '' }) };
  }
  const { subjectType, resourceType, properties } = question;
  return {
    looksAt: [...compiled.values()].flatMap(({ looksAt }) => looksAt),
    write: (variables) => {
      const value = (pointer: string, called: string): unknown => {
        try {
          return compiled.get(pointer)?.evaluate(variables);
        } catch (error) {
          throw new Error(`${called}: ${(error as Error).message}`);
        }
      };
      const name = (pointer: string, called: string): string => {
        const text = value(pointer, called);
        if (typeof text !== 'string' || text === '') throw new Error(`${called} is a text that is not empty`);
        return text;
      };
      const of = (whose: ServiceQuestion['properties'][number]['of']): Record<string, unknown> =>
        Object.fromEntries(
          properties.flatMap((property, index) =>
            property.of === whose ? [[property.name, value(`/properties/${index}/value`, `${whose}.${property.name}`)]] : [],
          ),
        );
      const withProperties = (whose: 'subject' | 'action' | 'resource') => {
        const members = of(whose);
        return Object.keys(members).length === 0 ? {} : { properties: members };
      };
      return JSON.stringify({
        subject: { type: subjectType, id: name('/subjectId', 'the subject'), ...withProperties('subject') },
        action: { name: name('/action', 'the action'), ...withProperties('action') },
        resource: { type: resourceType, id: name('/resourceId', 'the resource'), ...withProperties('resource') },
        context: of('context'),
      });
    },
  };
}

const sourcesOf = ({ subjectId, action, resourceId, properties }: ServiceQuestion): [string, string][] => [
  ['/subjectId', subjectId],
  ['/action', action],
  ['/resourceId', resourceId],
  ...properties.map(({ value }, index): [string, string] => [`/properties/${index}/value`, value]),
];

/** A fault of a question in words. */
export function sayQuestionFault({ pointer, at, says }: QuestionFault, question: ServiceQuestion): string {
  const source = new Map(sourcesOf(question)).get(pointer) ?? '';
  const { line, column } = placeIn(source, at);
  return `${says} (line ${line}, column ${column})`;
}
