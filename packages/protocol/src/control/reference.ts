import { Type } from 'class-transformer';
import { IsArray, IsBoolean, IsInt, IsOptional, IsString } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';

/** One operation in the list of a reference. */
export class ReferenceEntry {
  /** Of the draft. */
  @IsString() operationId: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsString() summary: string;
  @IsBoolean() deprecated: boolean;
  /** Whether pages for callers leave it out. It can be called all the same. */
  @IsBoolean() hidden: boolean;
}

export class ReferenceGroupView {
  /** Empty for operations without a tag. */
  @IsString() name: string;
  @IsString() description: string;
  @IsArray() @NestedEach() @Type(() => ReferenceEntry) operations: ReferenceEntry[];
}

export class ReferenceView {
  @IsString() title: string;
  @IsString() version: string;
  @IsString() description: string;
  /** Where the gateway serves it; empty where no node has said so. */
  @IsString() address: string;
  @IsArray() @NestedEach() @Type(() => ReferenceGroupView) groups: ReferenceGroupView[];
}

export class ReferenceLine {
  @IsString() name: string;
  @IsString() type: string;
  @IsBoolean() required: boolean;
  @IsArray() @IsString({ each: true }) rules: string[];
  /** JSON texts of the only values that it may have; left out where others may come, or there are too many to tell. */
  @MayBeLeftOut() @IsArray() @IsString({ each: true }) values?: string[];
  @IsString() description: string;
}

export class ReferenceParameterView extends ReferenceLine {
  @IsString() in: string;
}

export class ReferenceSchemaLine extends ReferenceLine {
  @IsInt() depth: number;
}

export class ReferenceBodyView {
  @IsString() type: string;
  @IsArray() @NestedEach() @Type(() => ReferenceSchemaLine) lines: ReferenceSchemaLine[];
  @IsOptional() @IsString() example: string | null;
}

export class ReferenceAnswerView {
  @IsString() status: string;
  @IsString() description: string;
  @IsArray() @NestedEach() @Type(() => ReferenceLine) headers: ReferenceLine[];
  @IsArray() @NestedEach() @Type(() => ReferenceBodyView) bodies: ReferenceBodyView[];
}

/** What a first try can send. */
export class ReferenceAttempt {
  /** Path with the base of the API, and query. */
  @IsString() target: string;
  @IsOptional() @IsString() body: string | null;
}

/** One operation for those who call it. */
export class ReferenceOperationView {
  @IsString() summary: string;
  @IsString() description: string;
  @IsBoolean() deprecated: boolean;
  @IsBoolean() hidden: boolean;
  /** Who may call it, by the draft. */
  @IsString() who: string;
  @IsArray() @NestedEach() @Type(() => ReferenceParameterView) parameters: ReferenceParameterView[];
  @IsBoolean() bodyRequired: boolean;
  @IsArray() @NestedEach() @Type(() => ReferenceBodyView) bodies: ReferenceBodyView[];
  @IsArray() @NestedEach() @Type(() => ReferenceAnswerView) answers: ReferenceAnswerView[];
  @Nested() @Type(() => ReferenceAttempt) attempt: ReferenceAttempt;
}
