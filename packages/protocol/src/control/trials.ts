import { MAX_TRIAL_BODY, STEPS, type StepId, type TrialOutcome, type TrialResult } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsNumber, IsOptional, IsString, Matches, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';
import { IsAddress } from './addresses.js';
import { ProbeHeaderDto } from './probe.js';

const EXPECTED = ['refused', 'passed'] as const;
const RESULTS = ['holds', 'fails', 'observed', 'not-known'] as const;

/** One trial and what came of it. */
export class TrialOutcomeView implements TrialOutcome {
  /** What it is overruled by. */
  @IsString() name: string;
  /** Empty where a saved request leads to no operation. */
  @IsString() apiId: string;
  @IsString() operationId: string;
  @IsString() apiName: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsString() tried: string;
  @IsIn(EXPECTED) expected: 'refused' | 'passed';
  @IsIn(RESULTS) result: TrialResult;
  @IsIn([...STEPS]) step: StepId;
  @IsString() code: TrialOutcome['code'];
  @IsString() sentence: string;
}

/** Trials of a release: how many came to what, and those that are worth reading, the worst first. */
export class TrialReportView {
  @IsInt() holds: number;
  @IsInt() fails: number;
  @IsInt() observed: number;
  @IsInt() notKnown: number;
  /** Operations that something was tried on. */
  @IsInt() operations: number;
  /** Whether ways in were not all looked for to the end; left out in reports of before it was told. */
  @MayBeLeftOut() @IsBoolean() cut?: boolean;
  @IsNumber() tookMs: number;
  /** Of those that hold only so many are here. */
  @IsArray() @NestedEach() @Type(() => TrialOutcomeView) items: TrialOutcomeView[];
}

/** Trials as they were run before a release. */
export class TrialsKept extends TrialReportView {
  /** Names of those that failed and were overruled. */
  @IsArray() @IsString({ each: true }) overruled: string[];
}

/** A request that is composed to be saved as a trial. */
export class TrialCallDto {
  @Matches(/^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,40}$/, { message: 'Not a method' }) method: string;
  @IsString() @Matches(/^\/[\x21-\x7e]*$/, { message: 'A path begins with a slash and has no spaces' }) @MaxLength(9000) target: string;
  @IsArray() @ArrayMaxSize(100) @NestedEach() @Type(() => ProbeHeaderDto) headers: ProbeHeaderDto[];
  @MayBeLeftOut() @IsAddress() from?: string;
  /** Bytes of its body; left out for none. */
  @MayBeLeftOut() @IsInt() @Min(0) bodyBytes?: number;
  /** All that its body says, where a rule may read it; kept with the trial. Counts before `bodyBytes`. */
  @MayBeLeftOut() @IsString() @MaxLength(MAX_TRIAL_BODY) body?: string;
  /** The persona that sends it; left out for nobody. What its token says is kept, the token is not. */
  @MayBeLeftOut() @IsString() @MaxLength(100) personaId?: string;
}

/** A request that is to be tried before every release: a recorded one, or one that is composed. */
export class SavedTrialInput {
  @IsString() @IsNotEmpty({ message: 'Give it a name' }) @MaxLength(200) name: string;
  @IsIn(EXPECTED) expected: 'refused' | 'passed';
  @MayBeLeftOut() @IsString() @MaxLength(100) traceId?: string;
  @MayBeLeftOut() @Nested() @Type(() => TrialCallDto) call?: TrialCallDto;
}

export class SavedTrialView {
  @IsString() id: string;
  @IsString() name: string;
  @IsIn(EXPECTED) expected: 'refused' | 'passed';
  @IsString() method: string;
  @IsString() target: string;
  /** Who calls, in words. */
  @IsString() who: string;
  @IsOptional() @IsString() address: string | null;
  @IsInt() savedAt: number;
  @IsString() savedBy: string;
}

export class SavedTrialList {
  @IsArray() @NestedEach() @Type(() => SavedTrialView) items: SavedTrialView[];
}
