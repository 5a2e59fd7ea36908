import { DRIFT_KINDS, SECURITY_KINDS, type DriftKind, type LearnedAnswers, LEARNED_ANSWERS, type SecurityKind } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsOptional, IsString, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { NestedEach } from '../nested.js';
import { CallerCount } from './sensitive.js';

export const INVENTORY_KINDS = ['seen', 'never-seen', 'undocumented'] as const;
export type InventoryKind = (typeof INVENTORY_KINDS)[number];

/** One operation: of a contract, or seen in traffic and in none. */
export class InventoryItem {
  @IsString() apiId: string;
  @IsString() apiName: string;
  @IsString() apiVersion: string;
  @IsIn([...INVENTORY_KINDS]) kind: InventoryKind;
  /** The operation's id; method and path of one that was learned. */
  @IsString() key: string;
  @IsString() method: string;
  /** Below the API's base path. */
  @IsString() path: string;
  @IsString() basePath: string;
  @IsString() summary: string;
  /** Exact for operations; for what was learned, those that were looked into. */
  @IsInt() requests: number;
  /** Answered with a status from 500 on. */
  @IsInt() errors: number;
  @IsInt() refused: number;
  /** Different callers, as far as they were looked at and told apart. */
  @IsInt() callers: number;
  /** Milliseconds since 1970; null where it was never seen. */
  @IsOptional() @IsInt() firstAt: number | null;
  @IsOptional() @IsInt() lastAt: number | null;
  /** Kinds of credentials that came; `none` where none did. Empty where nobody looked. */
  @IsArray() @IsString({ each: true }) credentials: string[];
  /** What is required, in words; empty where nothing could say so. */
  @IsString() required: string;
  /** Whether it is in the live release, in the draft alone, or in neither. */
  @IsIn(['live', 'draft', 'none']) published: 'live' | 'draft' | 'none';
  /** Whether somebody has said that it is none of the contract's business. */
  @IsBoolean() dismissed: boolean;
}

/** What is learned from the traffic of one API. */
export class InventoryApi {
  @IsString() apiId: string;
  @IsString() name: string;
  @IsString() version: string;
  @IsBoolean() described: boolean;
  @IsBoolean() on: boolean;
  @IsIn([...LEARNED_ANSWERS]) answers: LearnedAnswers;
  /** Whether the live release learns. */
  @IsBoolean() live: boolean;
  /** Whether some paths that no operation matches get through at all: what never reaches the upstream is not learned. */
  @IsBoolean() letsThrough: boolean;
}

export class InventoryView {
  @IsArray() @NestedEach() @Type(() => InventoryItem) items: InventoryItem[];
  @IsArray() @NestedEach() @Type(() => InventoryApi) apis: InventoryApi[];
  /** Requests that were looked into in the last 24 hours, and those that were passed over because there were too many. */
  @IsInt() taken: number;
  @IsInt() dropped: number;
}

/** One thing that was learned of an operation, with what it rests on. */
export class EvidenceView {
  /** Into the operation's description: what can be left out. */
  @IsString() pointer: string;
  @IsString() where: string;
  @IsString() at: string;
  @IsString() says: string;
  @IsInt() seen: number;
  @IsInt() of: number;
  @IsInt() firstAt: number;
  @IsInt() lastAt: number;
  /** Who it came from or went to, as far as they are told apart. */
  @IsArray() @NestedEach() @Type(() => CallerCount) callers: CallerCount[];
  @IsArray() @IsString({ each: true }) samples: string[];
}

/** An operation that was learned. */
export class LearnedView {
  @IsString() key: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsInt() requests: number;
  @IsInt() firstAt: number;
  @IsInt() lastAt: number;
  @IsArray() @NestedEach() @Type(() => CallerCount) callers: CallerCount[];
  @IsArray() @NestedEach() @Type(() => CallerCount) credentials: CallerCount[];
  @IsArray() @NestedEach() @Type(() => EvidenceView) evidence: EvidenceView[];
  @IsBoolean() dismissed: boolean;
  /** Whether what it would inherit from its API asks for something: else it has to be said who may call it. */
  @IsBoolean() apiAsks: boolean;
  /** Security schemes that can be asked for. */
  @IsArray() @IsString({ each: true }) schemes: string[];
}

/** How an operation that was learned joins the contract. */
export class ReviewInput {
  @IsString() @MaxLength(2000) key: string;
  /** Pointers into the operation: what of it is left out. */
  @IsArray() @ArrayMaxSize(500) @IsString({ each: true }) @MaxLength(1000, { each: true }) leaveOut: string[];
  /** What is asked of callers: what the API asks, a scheme of it, or nothing, which takes this word. */
  @IsIn(['as-api', 'scheme', 'public']) requirement: 'as-api' | 'scheme' | 'public';
  @MayBeLeftOut() @IsString() @MaxLength(200) scheme?: string;
  /** The operation in JSON or YAML, where it was edited by hand; nothing is left out of it then. */
  @MayBeLeftOut() @IsString() @MaxLength(200_000) operation?: string;
}

/** The contract as it is and as it would be. Nothing is changed yet. */
export class ReviewView {
  @IsString() before: string;
  @IsString() after: string;
  @IsIn(['json', 'yaml']) format: 'json' | 'yaml';
  /** The operation alone, as it would stand there. */
  @IsString() operation: string;
  /** Where it stands, into the contract. */
  @IsString() pointer: string;
}

export class LearnedKeyInput {
  @IsString() @MaxLength(2000) key: string;
}

/** One field of an operation about which traffic and contract disagree. */
export class DriftView {
  @IsString() operationId: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsIn([...DRIFT_KINDS]) kind: DriftKind;
  @IsString() where: string;
  @IsString() at: string;
  @IsString() said: string;
  @IsString() found: string;
  @IsInt() count: number;
  @IsInt() of: number;
  @IsInt() firstAt: number;
  @IsInt() lastAt: number;
  /** Of each of the last 14 days (UTC), oldest first. */
  @IsArray() @IsInt({ each: true }) days: number[];
}

/** A row of the drift that the contract is to accept. */
export class DriftAcceptInput {
  @IsString() @MaxLength(3000) operationId: string;
  @IsIn([...DRIFT_KINDS]) kind: DriftKind;
  @IsString() @MaxLength(200) where: string;
  @IsString() @MaxLength(2000) at: string;
}

export class SecurityGapView {
  @IsString() operationId: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsIn([...SECURITY_KINDS]) kind: SecurityKind;
  @IsString() declared: string;
  @IsString() enforced: string;
}

export class DriftList {
  @IsArray() @NestedEach() @Type(() => DriftView) items: DriftView[];
  /** Where the contract's security says other than what the gateway does. */
  @IsArray() @NestedEach() @Type(() => SecurityGapView) security: SecurityGapView[];
}
