import {
  CONTRACT_BODY_BYTES,
  LEARNED_ANSWERS,
  MOST_DETECTORS,
  SENSITIVE_ACTIONS,
  type DetectorRule,
  type LearnedAnswers,
  type LearningRule,
  type SensitiveAction,
  type SensitiveRule,
  type SensitiveUse,
} from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { NestedEach } from '../nested.js';

const [LEAST, MOST] = CONTRACT_BODY_BYTES;

/** What is learned from the traffic of an API. */
export class LearningDto implements LearningRule {
  @IsBoolean() on: boolean;
  /** From which answers. */
  @IsIn([...LEARNED_ANSWERS]) answers: LearnedAnswers;
}

/** One kind of sensitive data that is looked for, and what becomes of it; null where it is not looked for. */
export class SensitiveUseDto implements SensitiveUse {
  @IsString() @MaxLength(60) detector: string;
  @IsOptional() @IsIn(['tell', 'refuse']) request: 'tell' | 'refuse' | null;
  @IsOptional() @IsIn([...SENSITIVE_ACTIONS]) answer: SensitiveAction | null;
}

export class SensitiveRuleDto implements SensitiveRule {
  @IsArray() @ArrayMaxSize(100) @NestedEach() @Type(() => SensitiveUseDto) uses: SensitiveUseDto[];
  /** Bytes of a body that are held to look into it before it goes on. */
  @IsInt() @Min(LEAST) @Max(MOST) bodyBytes: number;
  @IsIn(['pass', 'refuse']) largerBody: 'pass' | 'refuse';
}

/** A detector of one's own. */
export class DetectorDto implements DetectorRule {
  @IsString() @Matches(/^own-[a-z0-9-]{1,40}$/, { message: 'An id begins with own- and has small letters, digits and dashes' }) id: string;
  @IsString() @IsNotEmpty({ message: 'A name cannot be empty' }) @MaxLength(80) name: string;
  /** In RE2 syntax. */
  @IsString() @MaxLength(500) pattern: string;
}

export class DetectorsPatch {
  @IsArray() @ArrayMaxSize(MOST_DETECTORS) @NestedEach() @Type(() => DetectorDto) detectors: DetectorDto[];
}
