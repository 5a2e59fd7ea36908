import {
  LIMIT_METHODS,
  LIMIT_RANGES,
  LIMIT_SUBJECTS,
  PLAN_RANGES,
  QUOTA_SPANS,
  SUBSCRIPTION_STATES,
  type CheckMode,
  type CountingRule,
  type GuessingRule,
  type LimitMethod,
  type LimitRule,
  type LimitSubject,
  type PlanRule,
  type PlanUse,
  type QuotaSpan,
  type SubscriptionState,
} from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Max, MaxLength, Min, ValidateIf } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { IsMoment } from '../moment.js';
import { Nested, NestedEach } from '../nested.js';
import { WordInstead } from '../word-instead.js';
import { DirectoryEffect } from './clients.js';

const MODES: CheckMode[] = ['observe', 'enforce'];
const SUBJECTS = [...LIMIT_SUBJECTS, 'header', 'attribute', 'metadata'] as const;
/** Subjects that are said with a name. */
const isNamed = (kind: LimitSubject['kind']): kind is 'header' | 'attribute' | 'metadata' => kind === 'header' || kind === 'attribute' || kind === 'metadata';

/** A whole number within its range. */
const Whole =
  ([least, most]: readonly [number, number]): PropertyDecorator =>
  (target, property) => {
    IsInt({ message: 'A whole number' })(target, property);
    Min(least)(target, property);
    Max(most)(target, property);
  };

/** By what requests are counted apart. */
export class LimitSubjectDto {
  @IsIn([...SUBJECTS]) kind: LimitSubject['kind'];
  /** Of the header field or of the attribute; for these alone. */
  @ValidateIf((by: LimitSubjectDto) => isNamed(by.kind))
  @IsString()
  @IsNotEmpty({ message: 'Say its name' })
  @MaxLength(100)
  name?: string;
}

/** So many requests in so much time. */
export class LimitDto implements Omit<LimitRule, 'by'> {
  @IsString() @IsNotEmpty({ message: 'A limit needs a name' }) @MaxLength(60) name: string;
  @Nested() @Type(() => LimitSubjectDto) by: LimitSubjectDto;
  @IsIn([...LIMIT_METHODS]) method: LimitMethod;
  @Whole(LIMIT_RANGES.requests) requests: number;
  @Whole(LIMIT_RANGES.seconds) seconds: number;
  /** Requests that may come at once, of a bucket; null for as many as above. */
  @IsOptional() @Whole(LIMIT_RANGES.burst) burst: number | null;
  @IsIn(MODES) mode: CheckMode;
}

/** A limit that was sent, in core's own form. */
export function limitOf({ name, by, method, requests, seconds, burst, mode }: LimitDto): LimitRule {
  const called = by.name ?? '';
  const subject: LimitSubject = isNamed(by.kind) ? { kind: by.kind, name: by.kind === 'header' ? called.toLowerCase() : called } : { kind: by.kind };
  return { name, by: subject, method, requests, seconds, burst: burst ?? null, mode };
}

/** A limit as it is sent. */
export const limitView = (limit: LimitRule): LimitDto => ({ ...limit, by: { ...limit.by } });

/** What holds up whoever guesses credentials. */
export class GuessingDto implements GuessingRule {
  @IsIn(MODES) mode: CheckMode;
  @Whole(LIMIT_RANGES.seconds) seconds: number;
  /** Null does not count so. */
  @IsOptional() @Whole(LIMIT_RANGES.requests) byAddress: number | null;
  @IsOptional() @Whole(LIMIT_RANGES.requests) byCredential: number | null;
}

/** How counting goes on while shared counters are away, and what callers are told. */
export class CountingDto implements CountingRule {
  @IsIn(['refuse', 'alone']) away: CountingRule['away'];
  @Whole(LIMIT_RANGES.sharePercent) sharePercent: number;
  @IsIn(['always', 'refusals']) tell: CountingRule['tell'];
}

/** What limits every request that is let in, in the draft. */
export class LimitsView {
  @IsString() revision: string;
  @IsArray() @NestedEach() @Type(() => LimitDto) limits: LimitDto[];
  /** Each limit as a sentence, in their order. */
  @IsArray() @IsString({ each: true }) says: string[];
  @IsOptional() @Nested() @Type(() => GuessingDto) guessing: GuessingDto | null;
  @Nested() @Type(() => CountingDto) counting: CountingDto;
  /** Gateway nodes that are connected, and whether they count together. */
  @IsInt() nodes: number;
  @IsIn(['each', 'together', 'away']) counted: 'each' | 'together' | 'away';
}

/** Members left out stay as they are. */
export class LimitsPatch {
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(LIMIT_RANGES.list) @NestedEach() @Type(() => LimitDto) limits?: LimitDto[];
  /** Null holds up nobody. */
  @IsOptional() @ValidateIf((patch: LimitsPatch) => patch.guessing !== null) @Nested() @Type(() => GuessingDto) guessing?: GuessingDto | null;
  @MayBeLeftOut() @Nested() @Type(() => CountingDto) counting?: CountingDto;
}

/** Whether a plan is asked for. */
export class PlanUseDto implements PlanUse {
  @IsBoolean() asked: boolean;
  /** Own member of the claim map that may name the plan; null for none. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(100) attribute: string | null;
}

export const planUseOf = ({ asked, attribute }: PlanUseDto): PlanUse => ({ asked, attribute: attribute ?? null });

/** Operations of one API that a plan opens. */
export class PlanCoverDto {
  @IsString() @IsNotEmpty() @MaxLength(100) apiId: string;
  /** Ids of operations, or `ALL`. */
  @WordInstead('ALL') @IsArray() @ArrayMaxSize(10_000) @IsString({ each: true }) operations: string[] | 'ALL';
}

export class PlanRateDto {
  @Whole(LIMIT_RANGES.requests) requests: number;
  @Whole(LIMIT_RANGES.seconds) seconds: number;
  @Whole(LIMIT_RANGES.burst) burst: number;
}

export class PlanQuotaDto {
  @Whole(LIMIT_RANGES.requests) requests: number;
  @IsIn([...QUOTA_SPANS]) per: QuotaSpan;
  @IsString() @IsNotEmpty() @MaxLength(100) zone: string;
}

/** A plan as it is set, whole; null asks for nothing. */
export class PlanInput {
  @IsString() @IsNotEmpty({ message: 'A plan needs a name' }) @MaxLength(60) name: string;
  @IsString() @MaxLength(1000) description: string;
  @IsArray() @ArrayMaxSize(PLAN_RANGES.covers) @NestedEach() @Type(() => PlanCoverDto) covers: PlanCoverDto[];
  @IsOptional() @Nested() @Type(() => PlanRateDto) rate: PlanRateDto | null;
  @IsOptional() @Nested() @Type(() => PlanQuotaDto) quota: PlanQuotaDto | null;
  @IsOptional() @Whole(PLAN_RANGES.atOnce) atOnce: number | null;
  @IsOptional() @Whole(PLAN_RANGES.requestBytes) requestBytes: number | null;
  @IsIn(MODES) mode: CheckMode;
  @IsIn(['by-hand', 'by-itself']) approval: PlanRule['approval'];
}

/** What a plan opens of one API. */
export class PlanOpens {
  @IsString() apiId: string;
  @IsString() apiName: string;
  @IsInt() operations: number;
  /** Operations that it names and that are not there any more. */
  @IsArray() @IsString({ each: true }) gone: string[];
  /** Whether the API asks for a plan at all: of one that does not, a plan opens nothing that was closed. */
  @IsBoolean() asks: boolean;
}

export class PlanView extends PlanInput {
  @IsString() id: string;
  @IsString() revision: string;
  /** What it allows, a short sentence each. */
  @IsArray() @IsString({ each: true }) says: string[];
  @IsArray() @NestedEach() @Type(() => PlanOpens) opens: PlanOpens[];
  /** What is missing for it to be of use, in words; empty where nothing is. */
  @IsString() incomplete: string;
  @IsBoolean() live: boolean;
  @IsInt() active: number;
  @IsInt() waiting: number;
}

export class PlanList {
  @IsArray() @NestedEach() @Type(() => PlanView) items: PlanView[];
}

/** That a client is to have a plan. */
export class SubscriptionInput {
  @IsString() @IsNotEmpty() @MaxLength(100) clientId: string;
  @IsString() @IsNotEmpty() @MaxLength(100) planId: string;
  /** Milliseconds since the epoch; null for at once, and for without an end. */
  @IsOptional() @IsMoment() startsAt?: number | null;
  @IsOptional() @IsMoment() endsAt?: number | null;
  /** Whether it was asked for and waits until somebody approves; a plan that approves by itself makes nobody wait. */
  @MayBeLeftOut() @IsBoolean() waits?: boolean;
  /** Why it is asked for, as whoever asks says. */
  @MayBeLeftOut() @IsString() @MaxLength(1000) reason?: string;
}

/** Members left out stay as they are. */
export class SubscriptionPatch {
  /** What was waiting is approved by making it active, and refused by ending it. */
  @MayBeLeftOut() @IsIn(['active', 'suspended', 'ended']) state?: Exclude<SubscriptionState, 'waiting'>;
  @IsOptional() @ValidateIf((patch: SubscriptionPatch) => patch.startsAt !== null) @IsMoment() startsAt?: number | null;
  @IsOptional() @ValidateIf((patch: SubscriptionPatch) => patch.endsAt !== null) @IsMoment() endsAt?: number | null;
  /** What is said to whoever asked, in the portal. */
  @MayBeLeftOut() @IsString() @MaxLength(1000) answer?: string;
}

export class SubscriptionView {
  @IsString() id: string;
  @IsString() clientId: string;
  @IsString() clientName: string;
  @IsString() owner: string;
  @IsString() planId: string;
  @IsString() planName: string;
  @IsIn([...SUBSCRIPTION_STATES]) state: SubscriptionState;
  /** How it stands at this moment: what is active may not have begun, or be over. */
  @IsIn([...SUBSCRIPTION_STATES, 'not-yet']) now: SubscriptionState | 'not-yet';
  @IsOptional() @IsInt() startsAt: number | null;
  @IsOptional() @IsInt() endsAt: number | null;
  @IsString() reason: string;
  /** What was said to whoever asked. */
  @IsString() answer: string;
  /** Whether it ended because somebody said no while it waited. */
  @IsBoolean() declined: boolean;
  @IsInt() askedAt: number;
  @IsString() askedBy: string;
  @IsOptional() @IsInt() decidedAt: number | null;
  @IsOptional() @IsString() decidedBy: string | null;
}

export class SubscriptionQuery {
  @MayBeLeftOut() @IsString() @MaxLength(100) clientId?: string;
  @MayBeLeftOut() @IsString() @MaxLength(100) planId?: string;
  @MayBeLeftOut() @IsIn([...SUBSCRIPTION_STATES]) state?: SubscriptionState;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(0) offset?: number;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) @Max(500) limit?: number;
}

export class SubscriptionPage {
  @IsArray() @NestedEach() @Type(() => SubscriptionView) items: SubscriptionView[];
  @IsInt() total: number;
}

export class SubscriptionChanged {
  @Nested() @Type(() => SubscriptionView) subscription: SubscriptionView;
  @Nested() @Type(() => DirectoryEffect) effect: DirectoryEffect;
}

/** How one limit that requests of a client are counted by stands at one node, or at all that count together. */
export class LimitStanding {
  @IsString() node: string;
  @IsString() name: string;
  /** The API that it is of; empty for the gateway's and for those of plans. */
  @IsString() apiId: string;
  /** Where it is set, in words. */
  @IsString() rule: string;
  @IsIn([...SUBJECTS]) by: LimitSubject['kind'];
  /** Whose requests are counted together, in words; empty where it is the client's alone. */
  @IsString() whose: string;
  @IsInt() of: number;
  @IsInt() left: number;
  /** Milliseconds until there is room again; 0 where there is. */
  @IsInt() waitMs: number;
  /** Milliseconds until all of it is there again; null where that hangs on requests under way. */
  @IsOptional() @IsInt() resetMs: number | null;
  @IsIn(MODES) mode: CheckMode;
}

/** A limit of which nobody can say how it stands: it hangs on the request, and none of the client's of the last day is kept. */
export class UnknownLimit {
  @IsString() name: string;
  @IsString() rule: string;
  /** By whom requests are counted, in words. */
  @IsString() says: string;
}

export class ClientStanding {
  @IsArray() @NestedEach() @Type(() => LimitStanding) items: LimitStanding[];
  @IsArray() @NestedEach() @Type(() => UnknownLimit) unknown: UnknownLimit[];
  /** So many limits of single operations beside these were not looked at. */
  @IsInt() more: number;
  /** Nodes that could not say, each with the reason. */
  @IsArray() @IsString({ each: true }) silent: string[];
}
