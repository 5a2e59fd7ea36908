import { STEPS, type StepId, type StepOutcome } from '@virga/core';
import { Type } from 'class-transformer';
import { IsArray, IsIn, IsInt, IsNumber, IsOptional, IsString, ValidateNested } from 'class-validator';

const OUTCOMES = ['pass', 'refuse', 'skip', 'would-refuse'];

export class ComparisonView {
  @IsString() what: string;
  @IsOptional() @IsString() wanted: string | null;
  @IsOptional() @IsString() found: string | null;
}

/** One step in words. */
export class StepView {
  @IsIn([...STEPS]) step: StepId;
  @IsString() name: string;
  @IsIn(OUTCOMES) outcome: StepOutcome;
  @IsString() code: string;
  @IsString() sentence: string;
  @IsArray() @ValidateNested({ each: true }) @Type(() => ComparisonView) comparisons: ComparisonView[];
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
