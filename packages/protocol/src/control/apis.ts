import {
  LIMIT_RANGES,
  AUTHORIZER_BOUNDS,
  CONDITION_BOUNDS,
  MOST_UNMATCHED,
  SCHEME_TYPES,
  CALLER_FIELDS,
  UPSTREAM_LIMIT_RANGES,
  type CallerFields,
  type SchemeType,
  type UpstreamLimits,
  type CorsRule,
  type ResourceRule,
  type SchemeRule,
  type UpstreamRule,
} from '@virga/core';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsOptional,
  IsString,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateIf,
} from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { AccessDto, SCOPE_PATTERN } from './access.js';
import { AddressRuleDto } from './addresses.js';
import { ConditionUseDto } from './conditions.js';
import { LimitDto, PlanUseDto } from './plans.js';
import { LearningDto, SensitiveRuleDto } from './watching.js';
import { ContractRuleDto, UnmatchedDto } from './contract-rule.js';
import { HeaderLanesDto, MessageDto, MessageOverrideDto } from './message.js';
import { ModesDto } from './modes.js';
import { TokenOverrideDto, TokenPlaceDto, TokenRuleDto } from './token-rule.js';
import { Nested, NestedEach } from '../nested.js';

const BASE_PATH = /^(\/[^/{}?#;%\\\s]+)*$/;
const BASE_PATH_SAID = { message: 'A base path begins with a slash, does not end with one, and has no spaces: for example /headgates' };
const HTTP_URL = /^https?:\/\/[^\s/?#@]+(\/[^\s?#]*)?$/i;
const HTTP_URL_SAID = { message: 'An upstream is an http or https address without query: for example http://127.0.0.1:8080' };

/** A description, as text or as an address to fetch it from; one of the two. */
export class ContractSourceInput {
  @MayBeLeftOut() @IsString() @MaxLength(16 * 1024 * 1024) text?: string;
  @MayBeLeftOut() @IsString() @Matches(/^https?:\/\//i, { message: 'Give an http or https address' }) @MaxLength(2000) url?: string;
  /** Lets plain http and loopback addresses be fetched. */
  @MayBeLeftOut() @IsBoolean() allowLoopback?: boolean;
}

export class ImportInput {
  @Nested() @Type(() => ContractSourceInput) source: ContractSourceInput;
  /** Taken from the description when left out. */
  @MayBeLeftOut() @IsString() @IsNotEmpty({ message: 'A name cannot be empty' }) @MaxLength(100) name?: string;
  @MayBeLeftOut() @IsString() @IsNotEmpty() @MaxLength(50) version?: string;
  @IsString() @MaxLength(200) @Matches(BASE_PATH, BASE_PATH_SAID) basePath: string;
  @IsString() @MaxLength(2000) @Matches(HTTP_URL, HTTP_URL_SAID) upstreamUrl: string;
}

export class ReimportInput {
  @Nested() @Type(() => ContractSourceInput) source: ContractSourceInput;
  /** Only says what would change. */
  @MayBeLeftOut() @IsBoolean() dryRun?: boolean;
}

export class ContractProblemView {
  @IsIn(['error', 'notice']) severity: 'error' | 'notice';
  @IsString() pointer: string;
  @IsOptional() @IsInt() line: number | null;
  @IsString() message: string;
}

export class ContractChangeView {
  @IsIn(['added', 'removed', 'changed']) kind: 'added' | 'removed' | 'changed';
  /** Empty where the change is of the API as a whole. */
  @IsString() method: string;
  @IsString() path: string;
  @IsString() detail: string;
  /** Whether somebody may call who could not before. */
  @IsIn(['wider', 'narrower', 'same']) callers: 'wider' | 'narrower' | 'same';
}

/** What a description says and what is wrong with it, before anything is stored. */
export class ContractReading {
  @IsBoolean() usable: boolean;
  @IsString() title: string;
  @IsString() version: string;
  @IsOptional() @IsString() openapi: string | null;
  @IsIn(['json', 'yaml']) format: 'json' | 'yaml';
  @IsArray() @IsString({ each: true }) servers: string[];
  @IsInt() operationCount: number;
  @IsArray() @NestedEach() @Type(() => ContractProblemView) problems: ContractProblemView[];
  @IsInt() problemCount: number;
}

export class ReimportView {
  @Nested() @Type(() => ContractReading) reading: ContractReading;
  @IsArray() @NestedEach() @Type(() => ContractChangeView) changes: ContractChangeView[];
  @IsBoolean() applied: boolean;
}

/** A whole number in the range that core gives to a limit. */
function InRange(name: keyof UpstreamLimits): PropertyDecorator {
  const [least, most] = UPSTREAM_LIMIT_RANGES[name];
  return (target, property) => {
    for (const decorate of [IsInt(), Min(least), Max(most)]) decorate(target, property);
  };
}

/** What callers can hold of an upstream. */
export class UpstreamLimitsDto implements UpstreamLimits {
  @InRange('connections') connections: number;
  @InRange('waiting') waiting: number;
  @InRange('waitMs') waitMs: number;
  @InRange('sharePercent') sharePercent: number;
  @InRange('leastBytesPerSecond') leastBytesPerSecond: number;
  @InRange('paceMs') paceMs: number;
}

export class UpstreamDto implements Omit<UpstreamRule, 'limits' | 'callerFields'> {
  @IsString() @MaxLength(2000) @Matches(HTTP_URL, HTTP_URL_SAID) url: string;
  @IsInt() @Min(10) @Max(120_000) connectTimeoutMs: number;
  @IsInt() @Min(10) @Max(3_600_000) responseTimeoutMs: number;
  @IsBoolean() sendCredential: boolean;
  /** Left out: as before. */
  @MayBeLeftOut() @IsIn(CALLER_FIELDS) callerFields?: CallerFields;
  /** Left out: the usual limits. */
  @MayBeLeftOut() @Nested() @Type(() => UpstreamLimitsDto) limits?: UpstreamLimitsDto;
}

export class ScopeDto {
  @IsString() @Matches(SCOPE_PATTERN, { message: 'A scope has no spaces, quotes or backslashes' }) @MaxLength(200) name: string;
  @IsString() @MaxLength(500) description: string;
}

export class ResourceDto implements ResourceRule {
  @IsString()
  @MaxLength(500)
  @Matches(/^[a-z][a-z0-9+.-]*:[^\s#]+$/i, { message: 'An identifier is an absolute URI without fragment (RFC 8707 section 2)' })
  identifier: string;
  @IsArray() @ArrayMaxSize(500) @NestedEach() @Type(() => ScopeDto) scopes: ScopeDto[];
}

export class CorsDto implements CorsRule {
  @IsArray()
  @ArrayMaxSize(50)
  @IsString({ each: true })
  @Matches(/^(\*|[a-z][a-z0-9+.-]*:\/\/[^\s/]+)$/i, { each: true, message: 'An origin is scheme, host and port with no slash at the end, or a single *' })
  origins: string[];
  @IsBoolean() credentials: boolean;
  @IsArray() @ArrayMaxSize(100) @Matches(/^[!#$%&'*+.^_`|~\w-]+$/, { each: true, message: 'Not a header name' }) requestHeaders: string[];
  @IsArray() @ArrayMaxSize(100) @Matches(/^[!#$%&'*+.^_`|~\w-]+$/, { each: true, message: 'Not a header name' }) exposedHeaders: string[];
  @IsInt() @Min(0) @Max(86_400) maxAgeSeconds: number;
}

export class SchemeDto implements Omit<SchemeRule, 'place'> {
  @IsString() @IsNotEmpty() @MaxLength(200) @Matches(/^[\w.-]+$/, { message: 'A scheme name has letters, digits, dots, dashes and underscores' }) name: string;
  @IsIn([...SCHEME_TYPES]) type: SchemeType;
  @IsString() @MaxLength(100) declared: string;
  @IsOptional() @IsString() @MaxLength(2000) metadataUrl: string | null;
  @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) providers: string[];
  /** Where the key of an apiKey travels; null or left out for other types. */
  @IsOptional() @Nested() @Type(() => TokenPlaceDto) place?: TokenPlaceDto | null;
}

/** Members left out stay as they are. */
export class ApiPatch {
  @MayBeLeftOut() @IsString() @IsNotEmpty({ message: 'A name cannot be empty' }) @MaxLength(100) name?: string;
  @MayBeLeftOut() @IsString() @IsNotEmpty({ message: 'A version cannot be empty' }) @MaxLength(50) version?: string;
  @MayBeLeftOut() @IsString() @MaxLength(200) @Matches(BASE_PATH, BASE_PATH_SAID) basePath?: string;
  @MayBeLeftOut() @IsBoolean() enabled?: boolean;
  @MayBeLeftOut() @Nested() @Type(() => UpstreamDto) upstream?: UpstreamDto;
  @MayBeLeftOut() @Nested() @Type(() => ResourceDto) resource?: ResourceDto;
  @MayBeLeftOut() @Nested() @Type(() => TokenRuleDto) token?: TokenRuleDto;
  /** Null switches CORS off. */
  @IsOptional() @ValidateIf((patch: ApiPatch) => patch.cors !== null) @Nested() @Type(() => CorsDto) cors?: CorsDto | null;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(50) @NestedEach() @Type(() => SchemeDto) schemes?: SchemeDto[];
  @MayBeLeftOut() @Nested() @Type(() => AccessDto) access?: AccessDto;
  @MayBeLeftOut() @Nested() @Type(() => ModesDto) modes?: ModesDto;
  @MayBeLeftOut() @Nested() @Type(() => MessageDto) message?: MessageDto;
  @MayBeLeftOut() @Nested() @Type(() => ContractRuleDto) contract?: ContractRuleDto;
  /** Whether a plan is asked for. */
  @MayBeLeftOut() @Nested() @Type(() => PlanUseDto) plan?: PlanUseDto;
  /** What limits it beside the limits of the gateway. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(LIMIT_RANGES.list) @NestedEach() @Type(() => LimitDto) limits?: LimitDto[];
  /** What becomes of paths that no operation matches, by prefix. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(MOST_UNMATCHED) @NestedEach() @Type(() => UnmatchedDto) unmatched?: UnmatchedDto[];
  @MayBeLeftOut() @Nested() @Type(() => LearningDto) learning?: LearningDto;
  @MayBeLeftOut() @Nested() @Type(() => SensitiveRuleDto) sensitive?: SensitiveRuleDto;
  @MayBeLeftOut() @Nested() @Type(() => HeaderLanesDto) headers?: HeaderLanesDto;
  @MayBeLeftOut() @Nested() @Type(() => AddressRuleDto) addresses?: AddressRuleDto;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(CONDITION_BOUNDS.perRule) @NestedEach() @Type(() => ConditionUseDto) conditions?: ConditionUseDto[];
  /** Names of authorizers that all have to allow it, in order. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.perRule) @IsString({ each: true }) authorizers?: string[];
}

/** Sets who may call and what tokens must be, for many operations at once; `access` null takes the API's default again. */
export class OperationsPatch {
  @IsArray() @ArrayNotEmpty() @ArrayMaxSize(20_000) @IsString({ each: true }) ids: string[];
  /** Left out: who may call stays as it is. */
  @IsOptional() @ValidateIf((patch: OperationsPatch) => patch.access !== null) @Nested() @Type(() => AccessDto) access?: AccessDto | null;
  /** What these operations ask of tokens instead of the API; null takes the API's rule again. Left out: stays. */
  @IsOptional() @ValidateIf((patch: OperationsPatch) => patch.token !== null) @Nested() @Type(() => TokenOverrideDto) token?: TokenOverrideDto | null;
  /** What bodies may be; null takes the API's rule again. Left out: stays. */
  @IsOptional()
  @ValidateIf((patch: OperationsPatch) => patch.message !== null)
  @Nested()
  @Type(() => MessageOverrideDto)
  message?: MessageOverrideDto | null;
  /** Modes of their checks; null takes the API's again. Left out: stay. */
  @IsOptional() @ValidateIf((patch: OperationsPatch) => patch.modes !== null) @Nested() @Type(() => ModesDto) modes?: ModesDto | null;
  /** From where they may be called; null takes the API's rule again. Left out: stays. */
  @IsOptional() @ValidateIf((patch: OperationsPatch) => patch.addresses !== null) @Nested() @Type(() => AddressRuleDto) addresses?: AddressRuleDto | null;
  /** Conditions that all have to hold; null takes the API's again. Left out: stay. */
  @IsOptional()
  @ValidateIf((patch: OperationsPatch) => patch.conditions !== null)
  @IsArray()
  @ArrayMaxSize(CONDITION_BOUNDS.perRule)
  @NestedEach()
  @Type(() => ConditionUseDto)
  conditions?: ConditionUseDto[] | null;
  /** What of the contract is held against them instead of what the API says; null takes that again. Left out: stays. */
  @IsOptional()
  @ValidateIf((patch: OperationsPatch) => patch.contract !== null)
  @Nested()
  @Type(() => ContractRuleDto)
  contract?: ContractRuleDto | null;
  /** Whether a plan is asked for; null takes the API's again. Left out: stays. */
  @IsOptional() @ValidateIf((patch: OperationsPatch) => patch.plan !== null) @Nested() @Type(() => PlanUseDto) plan?: PlanUseDto | null;
  /** What limits them beside the limits of the API and of the gateway. Left out: stay. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(LIMIT_RANGES.list) @NestedEach() @Type(() => LimitDto) limits?: LimitDto[];
  /** Whether reference pages leave them out; they can be called all the same. */
  @MayBeLeftOut() @IsBoolean() hidden?: boolean;
  /** Names of authorizers that all have to allow it; null takes the API's again. Left out: stay. */
  @IsOptional() @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.perRule) @IsString({ each: true }) authorizers?: string[] | null;
}

export class ApiSummary {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() version: string;
  @IsString() basePath: string;
  @IsBoolean() enabled: boolean;
  @IsString() upstreamUrl: string;
  @IsInt() operationCount: number;
  /** Operations that nobody has decided about and that let everyone in. */
  @IsInt() openCount: number;
  @IsInt() publicCount: number;
  /** What is missing for it to be of use, in words; empty where nothing is. */
  @IsString() incomplete: string;
  /** Whether the draft of this API differs from what is live; `new` when it was never published. */
  @IsIn(['same', 'changed', 'new']) state: 'same' | 'changed' | 'new';
  @IsInt() requests: number;
  @IsInt() refused: number;
  /** Requests that passed and would have been refused, had their checks not only observed. */
  @IsInt() wouldRefuse: number;
  /** Operations that have a check that only observes. */
  @IsInt() observedCount: number;
}

export class ApiView extends ApiSummary {
  /** Of all that the draft says of it; what `If-Match` takes. */
  @IsString() revision: string;
  @Nested() @Type(() => UpstreamDto) upstream: UpstreamDto;
  @Nested() @Type(() => ResourceDto) resource: ResourceDto;
  @Nested() @Type(() => TokenRuleDto) token: TokenRuleDto;
  @IsOptional() @Nested() @Type(() => CorsDto) cors: CorsDto | null;
  @IsArray() @NestedEach() @Type(() => SchemeDto) schemes: SchemeDto[];
  @Nested() @Type(() => AccessDto) access: AccessDto;
  @Nested() @Type(() => ModesDto) modes: ModesDto;
  @Nested() @Type(() => MessageDto) message: MessageDto;
  @Nested() @Type(() => ContractRuleDto) contract: ContractRuleDto;
  @IsArray() @NestedEach() @Type(() => UnmatchedDto) unmatched: UnmatchedDto[];
  @Nested() @Type(() => LearningDto) learning: LearningDto;
  @Nested() @Type(() => SensitiveRuleDto) sensitive: SensitiveRuleDto;
  @Nested() @Type(() => HeaderLanesDto) headers: HeaderLanesDto;
  @Nested() @Type(() => AddressRuleDto) addresses: AddressRuleDto;
  @IsArray() @NestedEach() @Type(() => ConditionUseDto) conditions: ConditionUseDto[];
  @Nested() @Type(() => PlanUseDto) plan: PlanUseDto;
  @IsArray() @NestedEach() @Type(() => LimitDto) limits: LimitDto[];
  @IsArray() @IsString({ each: true }) authorizers: string[];
  @IsOptional() @IsString() contractHash: string | null;
}

export class OperationView {
  @IsString() id: string;
  @IsString() method: string;
  @IsString() path: string;
  @IsOptional() @IsString() operationId: string | null;
  @IsString() summary: string;
  /** Null: takes the API's default. */
  @IsOptional() @Nested() @Type(() => AccessDto) access: AccessDto | null;
  @IsString() who: string;
  @IsIn(['open', 'public', 'required']) effective: 'open' | 'public' | 'required';
  /** Where the rule in effect was set and by whom. */
  @IsIn(['api', 'operation']) setAt: 'api' | 'operation';
  @IsIn(['contract', 'hand']) setBy: 'contract' | 'hand';
  /** What this operation asks of tokens instead of the API; null when nothing. */
  @IsOptional() @Nested() @Type(() => TokenOverrideDto) token: TokenOverrideDto | null;
  /** The same in words; empty when nothing. */
  @IsString() tokenWords: string;
  /** What it asks of bodies instead of the API; null when nothing. */
  @IsOptional() @Nested() @Type(() => MessageOverrideDto) message: MessageOverrideDto | null;
  /** Its own modes; null takes the API's. */
  @IsOptional() @Nested() @Type(() => ModesDto) modes: ModesDto | null;
  /** From where it may be called; null takes the API's rule. */
  @IsOptional() @Nested() @Type(() => AddressRuleDto) addresses: AddressRuleDto | null;
  /** Conditions that all have to hold; null takes the API's. */
  @IsOptional() @IsArray() @NestedEach() @Type(() => ConditionUseDto) conditions: ConditionUseDto[] | null;
  /** Whether a plan is asked for; null takes the API's. */
  @IsOptional() @Nested() @Type(() => PlanUseDto) plan: PlanUseDto | null;
  /** Its own limits. */
  @IsArray() @NestedEach() @Type(() => LimitDto) limits: LimitDto[];
  /** Names of authorizers; null takes the API's. */
  @IsOptional() @IsArray() @IsString({ each: true }) authorizers: string[] | null;
  /** What of the contract is held against it instead of what the API says; null when nothing. */
  @IsOptional() @Nested() @Type(() => ContractRuleDto) contract: ContractRuleDto | null;
  /** Whether reference pages leave it out. */
  @IsBoolean() hidden: boolean;
  /** Checks that only observe, whoever set it so; empty where all of them refuse. */
  @IsArray() @IsString({ each: true }) observed: string[];
  /** What the live release says, when that is different; null when it is the same. */
  @IsOptional() @IsString() liveWho: string | null;
  /** Schemes of the rule that no provider is bound to, or that cannot be checked. */
  @IsArray() @IsString({ each: true }) unmet: string[];
  /** Of the last 24 hours. */
  @IsInt() requests: number;
  @IsInt() refused: number;
  @IsInt() wouldRefuse: number;
}

/** Requests of one caller that one check would have refused, of those whose traces are kept. */
export class ObservedCallerView {
  @IsString() operationId: string;
  @IsOptional() @IsString() subject: string | null;
  @IsOptional() @IsString() client: string | null;
  /** For callers of whom nothing else is known. */
  @IsOptional() @IsString() address: string | null;
  @IsString() step: string;
  @IsString() stepName: string;
  @IsInt() requests: number;
}

/** Those with most requests first. */
export class ObservedList {
  @IsArray() @NestedEach() @Type(() => ObservedCallerView) items: ObservedCallerView[];
}

export class ContractText {
  @IsString() text: string;
  @IsIn(['json', 'yaml']) format: 'json' | 'yaml';
}

export class ImportView {
  @Nested() @Type(() => ApiView) api: ApiView;
  @Nested() @Type(() => ContractReading) reading: ContractReading;
}
