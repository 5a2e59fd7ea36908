import type { RequestOutcome, StepId, TracedCaller } from '@virga/core';
import { Type } from 'class-transformer';
import { IsArray, IsIn, IsInt, IsNumber, IsObject, IsOptional, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { HeaderView, StepView } from './explanations.js';
import { Nested, NestedEach } from '../nested.js';

const OUTCOMES: RequestOutcome[] = ['passed', 'refused', 'would-refuse'];

/** Filters of the list of traces; all optional, all of them must hold. */
export class TraceQuery {
  @MayBeLeftOut() @IsIn(OUTCOMES) outcome?: RequestOutcome;
  @MayBeLeftOut() @IsString() @MaxLength(100) api?: string;
  @MayBeLeftOut() @IsString() @MaxLength(600) operation?: string;
  @MayBeLeftOut() @IsString() @MaxLength(50) step?: string;
  @MayBeLeftOut() @IsString() @MaxLength(100) code?: string;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(100) @Max(599) status?: number;
  @MayBeLeftOut() @IsString() @MaxLength(300) client?: string;
  @MayBeLeftOut() @IsString() @MaxLength(300) subject?: string;
  /** Part of path, subject, client, address or id. */
  @MayBeLeftOut() @IsString() @MaxLength(300) text?: string;
  /** Milliseconds since the epoch. */
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(0) since?: number;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(0) until?: number;
  /** Cursor of an earlier page. */
  @MayBeLeftOut() @Matches(/^\d+-[\w-]+$/, { message: 'Not a cursor' }) before?: string;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) @Max(500) limit?: number;
}

export class TraceSummary {
  @IsString() id: string;
  @IsInt() at: number;
  @IsString() method: string;
  @IsString() path: string;
  @IsIn(OUTCOMES) outcome: RequestOutcome;
  @IsInt() status: number;
  @IsString() step: StepId;
  @IsString() stepName: string;
  @IsString() code: string;
  @IsString() reason: string;
  @IsOptional() @IsString() apiId: string | null;
  @IsOptional() @IsString() apiName: string | null;
  @IsOptional() @IsString() operationId: string | null;
  @IsOptional() @IsString() subject: string | null;
  @IsOptional() @IsString() client: string | null;
  @IsOptional() @IsString() provider: string | null;
  @IsString() address: string;
  @IsInt() release: number;
  @IsNumber() totalUs: number;
}

export class SamplingView {
  /** Passed traces a second that a node keeps at most. */
  @IsInt() passedPerSecond: number;
  @IsInt() refusedPerSecond: number;
  /** Requests of the last hour whose trace was not kept. */
  @IsInt() unsentPassed: number;
  @IsInt() unsentRefused: number;
  @IsInt() keptForHours: number;
  @IsInt() keptAtMost: number;
}

export class TracePage {
  @IsArray() @NestedEach() @Type(() => TraceSummary) items: TraceSummary[];
  @IsOptional() @IsString() next: string | null;
  @Nested() @Type(() => SamplingView) sampling: SamplingView;
}

export class TraceView extends TraceSummary {
  @IsString() traceId: string;
  @IsString() node: string;
  @IsString() query: string;
  @IsArray() @NestedEach() @Type(() => StepView) steps: StepView[];
  @IsArray() @NestedEach() @Type(() => HeaderView) requestHeaders: HeaderView[];
  @IsArray() @NestedEach() @Type(() => HeaderView) responseHeaders: HeaderView[];
  @IsInt() requestBytes: number;
  @IsInt() responseBytes: number;
  /** Who was proved to call, as far as rules look at it; null where nobody was, or where that was not kept. */
  @IsOptional() @IsObject() who: TracedCaller | null;
}
