import type { StepId } from '@virga/core';
import { Type } from 'class-transformer';
import { IsArray, IsIn, IsInt, IsNumber, IsString, Max, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { NestedEach } from '../nested.js';

export class FallQuery {
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(5) @Max(10_080) minutes?: number;
}

/** Requests of one slice of time: how many came, and how many ended at each layer. */
export class FallSlice {
  @IsInt() at: number;
  @IsInt() total: number;
  @IsInt() forwarded: number;
  /** Requests stopped, in the order of `layers`. */
  @IsArray() @IsInt({ each: true }) stopped: number[];
  /** Requests that went on and would have been stopped, by the first layer that would have, in the order of `layers`. */
  @IsArray() @IsInt({ each: true }) wouldStop: number[];
}

export class FallReason {
  @IsString() code: string;
  @IsString() title: string;
  @IsInt() count: number;
}

export class FallLayer {
  @IsString() step: StepId;
  @IsString() name: string;
  @IsInt() stopped: number;
  @IsArray() @NestedEach() @Type(() => FallReason) reasons: FallReason[];
  @IsInt() wouldStop: number;
  @IsArray() @NestedEach() @Type(() => FallReason) wouldReasons: FallReason[];
}

export class FallView {
  @IsInt() from: number;
  @IsInt() to: number;
  @IsInt() sliceMs: number;
  @IsInt() total: number;
  @IsInt() forwarded: number;
  /** Answered by the gateway itself without refusing: preflights. */
  @IsInt() answered: number;
  @IsNumber() meanUs: number;
  @IsArray() @NestedEach() @Type(() => FallLayer) layers: FallLayer[];
  @IsArray() @NestedEach() @Type(() => FallSlice) slices: FallSlice[];
}

export class AttentionItem {
  @IsIn(['refused', 'would-refuse', 'unknown']) mark: 'refused' | 'would-refuse' | 'unknown';
  @IsString() title: string;
  @IsString() detail: string;
  /** Path of the console screen that mends it. */
  @IsString() link: string;
}

export class AttentionView {
  @IsArray() @NestedEach() @Type(() => AttentionItem) items: AttentionItem[];
}
