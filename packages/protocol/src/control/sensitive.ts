import { DETECTOR_GROUPS, FINDING_SIDES, type DetectorGroup, type FindingSide } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsOptional, IsString, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { NestedEach, Nested } from '../nested.js';
import { DetectorDto, SensitiveRuleDto } from './watching.js';

/** Something that looks for one kind of sensitive data. */
export class DetectorView {
  @IsString() id: string;
  @IsString() name: string;
  @IsIn([...DETECTOR_GROUPS]) group: DetectorGroup;
  /** How what looks like one is verified. */
  @IsString() verifies: string;
}

export class CallerCount {
  @IsString() name: string;
  @IsInt() count: number;
}

/** Sensitive data at one place of one operation. Values are never kept: samples are masked. */
export class SensitiveFindingView {
  @IsString() apiId: string;
  @IsString() apiName: string;
  /** Empty where no operation matched. */
  @IsString() operationId: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsIn([...FINDING_SIDES]) side: FindingSide;
  /** A pointer into a body, places in lists a star; a name elsewhere. */
  @IsString() at: string;
  @IsString() detector: string;
  @IsString() detectorName: string;
  /** Messages that held it, and values in them. */
  @IsInt() messages: number;
  @IsInt() values: number;
  /** Messages with which it reached whoever they were for. */
  @IsInt() reached: number;
  @IsArray() @IsString({ each: true }) samples: string[];
  /** Who sent or received it, those with most messages first. */
  @IsArray() @NestedEach() @Type(() => CallerCount) callers: CallerCount[];
  /** Milliseconds since 1970. */
  @IsInt() firstAt: number;
  @IsInt() lastAt: number;
  /** Messages of each of the last 14 days (UTC), oldest first. */
  @IsArray() @IsInt({ each: true }) days: number[];
}

/** What an API is looked through for. */
export class SensitiveApiView {
  @IsString() apiId: string;
  @IsString() name: string;
  @IsString() version: string;
  @Nested() @Type(() => SensitiveRuleDto) rule: SensitiveRuleDto;
}

export class SensitiveView {
  /** Of the draft's own detectors; what `If-Match` takes. */
  @IsString() revision: string;
  @IsArray() @NestedEach() @Type(() => SensitiveFindingView) items: SensitiveFindingView[];
  /** Whether there are more than are listed. */
  @IsBoolean() more: boolean;
  @IsArray() @NestedEach() @Type(() => DetectorView) detectors: DetectorView[];
  @IsArray() @NestedEach() @Type(() => DetectorDto) own: DetectorDto[];
  @IsArray() @NestedEach() @Type(() => SensitiveApiView) apis: SensitiveApiView[];
  /** Requests that were looked into in the last 24 hours, and those that were passed over because there were too many. */
  @IsInt() taken: number;
  @IsInt() dropped: number;
}

/** A text that detectors are tried on. Nothing of it is kept. */
export class TryDetectorsInput {
  @IsString() @MaxLength(100_000) text: string;
  /** A pattern of one's own; left out: all detectors, built in and of the draft. */
  @MayBeLeftOut() @IsString() @MaxLength(500) pattern?: string;
}

export class TriedHit {
  @IsString() detectorName: string;
  @IsString() at: string;
  @IsString() masked: string;
}

export class TriedDetectors {
  /** Why the pattern cannot be used; null where it can. */
  @IsOptional() @IsString() fault: string | null;
  @IsArray() @ArrayMaxSize(500) @NestedEach() @Type(() => TriedHit) hits: TriedHit[];
  /** The text with everything masked that was found. */
  @IsString() masked: string;
}
