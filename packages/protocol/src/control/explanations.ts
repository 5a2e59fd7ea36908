import { STEPS, type CheckMode, type StepId, type StepOutcome } from '@virga/core';
import { Type } from 'class-transformer';
import { IsArray, IsIn, IsInt, IsNumber, IsOptional, IsString } from 'class-validator';
import { Nested, NestedEach } from '../nested.js';

const OUTCOMES = ['pass', 'refuse', 'skip', 'would-refuse'];

export class ComparisonView {
  @IsString() what: string;
  @IsOptional() @IsString() wanted: string | null;
  @IsOptional() @IsString() found: string | null;
}

/** A rule of a release, for a link to where it is edited. */
export class RuleView {
  /** Into the release document (RFC 6901). */
  @IsString() pointer: string;
  /** Empty for a rule of the gateway. */
  @IsString() apiId: string;
  /** Null for a rule of the API as a whole. */
  @IsOptional() @IsString() operationId: string | null;
  /** The part of the API or operation: access, token, schemes, modes, upstream; empty for the whole. */
  @IsString() part: string;
  /** The authorizer that the rule calls; empty for other rules. */
  @IsString() calls: string;
  /** What it is, and of what, in words. */
  @IsString() words: string;
}

/** One step in words. */
export class StepView {
  @IsIn([...STEPS]) step: StepId;
  @IsString() name: string;
  @IsIn(OUTCOMES) outcome: StepOutcome;
  @IsIn(['observe', 'enforce']) mode: CheckMode;
  /** The rule that decided; null where no rule of the release did. */
  @IsOptional() @Nested() @Type(() => RuleView) rule: RuleView | null;
  @IsString() code: string;
  @IsString() sentence: string;
  @IsArray() @NestedEach() @Type(() => ComparisonView) comparisons: ComparisonView[];
  @IsString() standard: string;
  @IsString() remedy: string;
  /** The status and title that the caller was given, where this step answered. */
  @IsOptional() @IsInt() toldStatus: number | null;
  @IsOptional() @IsString() toldTitle: string | null;
  @IsNumber() tookUs: number;
}

export class HeaderView {
  @IsString() name: string;
  @IsString() value: string;
}
