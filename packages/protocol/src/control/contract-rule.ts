import {
  CONTRACT_BODY_BYTES,
  CONTRACT_MODES,
  type ContractMode,
  type ContractOverride,
  type ContractPart,
  type ContractRule,
  CONTRACT_PARTS,
  UNMATCHED_MODES,
  type UnmatchedMode,
  type UnmatchedRule,
} from '@virga/core';
import { Type } from 'class-transformer';
import { IsArray, IsBoolean, IsIn, IsInt, IsOptional, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';

const MODES = [...CONTRACT_MODES];
const [LEAST, MOST] = CONTRACT_BODY_BYTES;

/** Modes of parts of a contract; those left out stay as they are, or are as the API has them. */
export class ContractPartsDto implements Partial<Record<ContractPart, ContractMode>> {
  @MayBeLeftOut() @IsIn(MODES) 'contract-path'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-query'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-header'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-cookie'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-security'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-type'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-body'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-status'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-fields'?: ContractMode;
  @MayBeLeftOut() @IsIn(MODES) 'contract-answer'?: ContractMode;
}

/** What of a contract is held against messages. Members left out stay as they are, or are as the API has them. */
export class ContractRuleDto implements ContractOverride {
  @MayBeLeftOut() @Nested() @Type(() => ContractPartsDto) parts?: ContractPartsDto;
  /** Query parameters that the contract does not name. */
  @MayBeLeftOut() @IsIn(['allow', 'refuse']) unknownQuery?: ContractRule['unknownQuery'];
  /** Members of bodies that no schema names. */
  @MayBeLeftOut() @IsIn(['as-said', 'refuse']) unknownMembers?: ContractRule['unknownMembers'];
  /** Members that are `readOnly`, in a request. */
  @MayBeLeftOut() @IsIn(['allow', 'refuse']) readOnlySent?: ContractRule['readOnlySent'];
  /** Whether `format` is held against values. */
  @MayBeLeftOut() @IsBoolean() formats?: boolean;
  /** Bytes of a body that are held to check it. */
  @MayBeLeftOut() @IsInt() @Min(LEAST) @Max(MOST) bodyBytes?: number;
  @MayBeLeftOut() @IsIn(['pass', 'refuse']) largerBody?: ContractRule['largerBody'];
}

/** What becomes of requests below a prefix whose path no operation matches. */
export class UnmatchedDto implements UnmatchedRule {
  @IsString()
  @MaxLength(500)
  @Matches(/^\/(?:\S*[^\s/])?$/, { message: 'A prefix begins with a slash and does not end with one; / alone is every path' })
  prefix: string;
  @IsIn([...UNMATCHED_MODES]) mode: UnmatchedMode;
}

/** How often a part was looked at in a span of time, and how often it differed. */
export class ContractPartCount {
  @IsIn([...CONTRACT_PARTS]) part: ContractPart;
  /** Requests whose part was looked at. */
  @IsInt() looked: number;
  /** Of these, refused. */
  @IsInt() refused: number;
  /** Passed, and would have been refused had the part not only been observed. */
  @IsInt() wouldRefuse: number;
}

/** How one API keeps to its contract. */
export class ContractStanding {
  @IsString() apiId: string;
  @IsString() name: string;
  @IsString() version: string;
  /** Whether it has a contract at all. */
  @IsBoolean() described: boolean;
  /** Whether everything of the API only observes, whatever its parts say. */
  @IsBoolean() observesAll: boolean;
  @Nested() @Type(() => ContractRuleDto) rule: ContractRuleDto;
  /** Operations that say something of their own. */
  @IsInt() ownRules: number;
  @IsInt() requests: number;
  @IsArray() @NestedEach() @Type(() => ContractPartCount) parts: ContractPartCount[];
}

/** Counts are exact, of the last 24 hours. */
export class ContractStandingList {
  @IsArray() @NestedEach() @Type(() => ContractStanding) items: ContractStanding[];
}

/** Something that differed from a contract, in requests whose traces were kept. */
export class ViolationView {
  /** Of this row, for asking about it. */
  @IsString() id: string;
  @IsString() apiId: string;
  @IsString() apiName: string;
  @IsString() operationId: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsIn([...CONTRACT_PARTS, 'contract']) part: ContractPart | 'contract';
  @IsString() partName: string;
  @IsString() code: string;
  /** Parameter, header field or status; empty for a body. */
  @IsString() name: string;
  /** JSON Pointer into the value; places in lists are a star. */
  @IsString() at: string;
  /** JSON Pointer into the contract. */
  @IsString() rule: string;
  @IsString() keyword: string;
  @IsString() wanted: string;
  /** By kind and size; the value itself is not kept. */
  @IsString() found: string;
  @IsInt() refused: number;
  @IsInt() wouldRefuse: number;
  @IsInt() callers: number;
  /** Some of them. */
  @IsArray() @IsString({ each: true }) callerNames: string[];
  /** Milliseconds since the epoch. */
  @IsInt() firstAt: number;
  @IsInt() lastAt: number;
  /** The last trace; it may be gone. */
  @IsString() traceId: string;
  /** Requests by slice of the span, oldest first. */
  @IsArray() @IsInt({ each: true }) slices: number[];
}

/** Those with most requests first. */
export class ViolationList {
  @IsArray() @NestedEach() @Type(() => ViolationView) items: ViolationView[];
  /** Whether there are more than are listed. */
  @IsBoolean() more: boolean;
  /** Traces of refused requests and of those that would have been, not kept in the span because there were too many. */
  @IsInt() unsent: number;
  @IsInt() sliceMs: number;
}

/** Where a rule stands in the text of a contract. */
export class ContractPlaceView {
  @IsOptional() @IsInt() line: number | null;
  /** The value at the pointer as JSON, shortened; null where there is none. */
  @IsOptional() @IsString() value: string | null;
}

export class AcceptInput {
  /** A row of the violations. */
  @IsString() @MaxLength(200) violation: string;
}

/** How a contract would accept what deviates from it. Nothing is changed yet. */
export class AcceptView {
  @IsString() says: string;
  @IsString() before: string;
  @IsString() after: string;
  @IsIn(['json', 'yaml']) format: 'json' | 'yaml';
}
