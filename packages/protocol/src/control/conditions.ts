import {
  CONDITION_BOUNDS,
  type BodyMember,
  type ConditionRule,
  type ConditionScope,
  type ConditionUse,
  type DescribedParameter,
  PARAMETER_PLACES,
  type ParameterPlace,
} from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsIn, IsInt, IsObject, IsOptional, IsString, MaxLength, ValidateIf } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { NestedEach } from '../nested.js';

/** A condition of a rule: one that others share, by name, or one of its own. */
export class ConditionUseDto {
  @IsIn(['shared', 'own']) kind: ConditionUse['kind'];
  @IsString() @MaxLength(60) name: string;
  /** In CEL, of an own condition; not for a shared one. */
  @ValidateIf((use: ConditionUseDto) => use.kind === 'own') @IsString() @MaxLength(CONDITION_BOUNDS.source) source?: string;
}

/** The condition that was sent, in core's own form. */
export const conditionUseOf = ({ kind, name, source = '' }: ConditionUseDto): ConditionUse => (kind === 'shared' ? { kind, name } : { kind, name, source });

/** A condition as it is sent. */
export const conditionUseView = (use: ConditionUse): ConditionUseDto => ({ ...use });

/** A condition under a name, for rules to call. */
export class ConditionDto implements ConditionRule {
  @IsString() @MaxLength(60) name: string;
  @IsString() @MaxLength(500) description: string;
  @IsString() @MaxLength(CONDITION_BOUNDS.source) source: string;
}

/** How many rules of APIs and operations call a shared condition. */
export class ConditionUsers {
  @IsString() name: string;
  @IsInt() rules: number;
}

export class ConditionsView {
  /** Of the shared conditions; what `If-Match` takes. */
  @IsString() revision: string;
  @IsArray() @NestedEach() @Type(() => ConditionDto) conditions: ConditionDto[];
  /** How many rules of APIs and operations call each. */
  @IsArray() @NestedEach() @Type(() => ConditionUsers) users: ConditionUsers[];
  /** What conditions stopped in the last 24 hours, and what they would have stopped. */
  @IsInt() refused: number;
  @IsInt() wouldRefuse: number;
  /** Columns of tables by their names, for checks and completion. */
  @IsObject() tables: Record<string, string[]>;
}

/** Which requests a condition is about: an API, and the operations of it; null for all of its operations. */
export class ConditionSubject {
  @IsString() @MaxLength(200) apiId: string;
  @IsOptional() @IsArray() @ArrayMaxSize(20_000) @IsString({ each: true }) operationIds: string[] | null;
}

/** A member that a contract names in a body. */
export class BodyMemberView implements BodyMember {
  /** The names that lead to it; `*` stands for any name, `[]` for any item of a list. */
  @IsArray() @IsString({ each: true }) path: string[];
  @IsString() type: string;
  /** JSON texts of the only values that it may have; null where others may come. */
  @IsOptional() @IsArray() @IsString({ each: true }) values: string[] | null;
  @IsString() about: string;
}

/** A parameter that a contract describes, of the path, the query or a header field. */
export class DescribedParameterView implements DescribedParameter {
  @IsIn([...PARAMETER_PLACES]) in: ParameterPlace;
  @IsString() name: string;
  @IsString() type: string;
  /** JSON texts of the only values that it may have; null where others may come. */
  @IsOptional() @IsArray() @IsString({ each: true }) values: string[] | null;
  @IsString() about: string;
}

/** What is known of these requests: path parameters that all of them have, own members of the claim maps of their providers. */
export class ConditionScopeView implements ConditionScope {
  @IsArray() @IsString({ each: true }) parameters: string[];
  @IsArray() @IsString({ each: true }) attributes: string[];
  /** Columns of tables by their names. */
  @IsObject() tables: Record<string, string[]>;
  /** Members that their contract names in their bodies. */
  @IsArray() @NestedEach() @Type(() => BodyMemberView) bodyMembers: BodyMemberView[];
  /** Parameters that their contract describes; null where not all of them could be looked up. */
  @IsOptional() @IsArray() @NestedEach() @Type(() => DescribedParameterView) contractParameters: DescribedParameterView[] | null;
  /** Where some of them take credentials, as `headers.x-key` and `query.key`: conditions are not shown what travels there. */
  @IsArray() @IsString({ each: true }) unshown: string[];
}

/** Members left out stay as they are. */
export class ConditionsPatch {
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(CONDITION_BOUNDS.shared) @NestedEach() @Type(() => ConditionDto) conditions?: ConditionDto[];
}
