import {
  AUTHORIZER_ANSWERS,
  AUTHORIZER_BOUNDS,
  CONDITION_BOUNDS,
  type AnswerCacheRule,
  type AuthorizerCase,
  type AuthorizerSays,
  type CacheKeyPart,
  type ScriptSource,
  type ServiceQuestion,
  type ServiceSource,
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
  IsNumber,
  IsOptional,
  IsString,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateIf,
} from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';

const { timeMs: TIME, megabytes: MEGABYTES, timeoutMs: TIMEOUT, cacheSeconds: SECONDS } = AUTHORIZER_BOUNDS;

/** JavaScript with a function `decide(input)`, which runs in a sandbox. */
export class ScriptDto implements Omit<ScriptSource, 'kind' | 'body'> {
  @IsString() @MaxLength(AUTHORIZER_BOUNDS.source) source: string;
  @IsInt() @Min(TIME[0]) @Max(TIME[1]) timeMs: number;
  @IsInt() @Min(MEGABYTES[0]) @Max(MEGABYTES[1]) megabytes: number;
  /** Tables that it reads, as `resource.NAME`. */
  @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.tables) @IsString({ each: true }) tables: string[];
  /** Whether it is shown the request's body, as `request.body`; left out, it is not. */
  @MayBeLeftOut() @IsBoolean() body?: boolean;
}

export class ServicePropertyDto {
  @IsIn(['subject', 'action', 'resource', 'context']) of: 'subject' | 'action' | 'resource' | 'context';
  @IsString() @IsNotEmpty({ message: 'Name the property' }) @MaxLength(100) name: string;
  /** In CEL. */
  @IsString() @MaxLength(CONDITION_BOUNDS.source) value: string;
}

/** What is asked of a decision service, each value in CEL. */
export class ServiceQuestionDto implements ServiceQuestion {
  @IsString() @MaxLength(100) subjectType: string;
  @IsString() @MaxLength(CONDITION_BOUNDS.source) subjectId: string;
  @IsString() @MaxLength(CONDITION_BOUNDS.source) action: string;
  @IsString() @MaxLength(100) resourceType: string;
  @IsString() @MaxLength(CONDITION_BOUNDS.source) resourceId: string;
  @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.properties) @NestedEach() @Type(() => ServicePropertyDto) properties: ServicePropertyDto[];
}

/** What of a service's answer says that the caller should prove itself again. */
export class SignInDto {
  @IsString() @MaxLength(300) pointer: string;
  @IsString() @MaxLength(300) value: string;
}

/** How the gateway proves itself to a service. */
export class ServiceCredentialDto {
  @IsIn(['bearer', 'basic']) kind: 'bearer' | 'basic';
  /** For `basic`. */
  @MayBeLeftOut() @IsString() @MaxLength(300) name?: string;
  /** Given when it changes, never shown. */
  @MayBeLeftOut() @IsString() @MaxLength(20_000) secret?: string;
}

/** A decision service that speaks the OpenID AuthZEN Authorization API 1.0. */
export class ServiceDto implements Omit<ServiceSource, 'kind' | 'credential'> {
  @IsString() @MaxLength(1000) @Matches(/^https?:\/\//i, { message: 'Give an http or https address' }) url: string;
  @IsOptional()
  @ValidateIf((service: ServiceDto) => service.credential !== null)
  @Nested()
  @Type(() => ServiceCredentialDto)
  credential: ServiceCredentialDto | null;
  @IsInt() @Min(TIMEOUT[0]) @Max(TIMEOUT[1]) timeoutMs: number;
  @IsBoolean() allowLoopbackHttp: boolean;
  @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) privateHosts: string[];
  @Nested() @Type(() => ServiceQuestionDto) question: ServiceQuestionDto;
  @IsOptional() @ValidateIf((service: ServiceDto) => service.signIn !== null) @Nested() @Type(() => SignInDto) signIn: SignInDto | null;
}

export class AnswerCacheDto implements AnswerCacheRule {
  @IsInt() @Min(SECONDS[0]) @Max(SECONDS[1]) seconds: number;
  @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.keyParts) @IsString({ each: true }) key: CacheKeyPart[];
}

export class AuthorizerCaseDto implements AuthorizerCase {
  @IsString() @IsNotEmpty({ message: 'Give the case a name' }) @MaxLength(100) name: string;
  /** JSON text. */
  @IsString() @MaxLength(AUTHORIZER_BOUNDS.input) input: string;
  @IsIn([...AUTHORIZER_ANSWERS]) expected: AuthorizerSays;
}

/** An authorizer, whole: either a script or a service. */
export class AuthorizerInput {
  @IsString() @IsNotEmpty({ message: 'Give the authorizer a name' }) @MaxLength(60) name: string;
  @IsString() @MaxLength(500) description: string;
  @IsOptional() @ValidateIf((input: AuthorizerInput) => input.script !== null) @Nested() @Type(() => ScriptDto) script: ScriptDto | null;
  @IsOptional() @ValidateIf((input: AuthorizerInput) => input.service !== null) @Nested() @Type(() => ServiceDto) service: ServiceDto | null;
  /** Header fields that it may pass up. */
  @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.passes) @IsString({ each: true }) @MaxLength(100, { each: true }) passes: string[];
  /** Null asks for every request. */
  @IsOptional() @ValidateIf((input: AuthorizerInput) => input.cache !== null) @Nested() @Type(() => AnswerCacheDto) cache: AnswerCacheDto | null;
  @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.cases) @NestedEach() @Type(() => AuthorizerCaseDto) cases: AuthorizerCaseDto[];
}

/** A rule that calls an authorizer: of an API for all of its operations, or of one operation. */
export class AuthorizerUse {
  @IsString() apiId: string;
  @IsString() apiName: string;
  @IsOptional() @IsString() operationId: string | null;
  @IsString() label: string;
}

/** What asking it cost since the nodes started, all of them together. */
export class AuthorizerCost {
  @IsInt() allowed: number;
  @IsInt() denied: number;
  @IsInt() signIn: number;
  /** Without an answer: refused. */
  @IsInt() failed: number;
  /** Of all of these, by an answer that was kept. */
  @IsInt() kept: number;
  /** Milliseconds that so many of a hundred calls did not exceed, to within a quarter; null where none was made. */
  @IsOptional() @IsNumber() p50: number | null;
  @IsOptional() @IsNumber() p95: number | null;
  @IsOptional() @IsNumber() p99: number | null;
}

export class AuthorizerSummary {
  @IsString() name: string;
  @IsString() description: string;
  @IsIn(['script', 'service']) kind: 'script' | 'service';
  @IsInt() caseCount: number;
  @IsInt() useCount: number;
  @IsBoolean() cached: boolean;
  @Nested() @Type(() => AuthorizerCost) cost: AuthorizerCost;
}

export class AuthorizerList {
  @IsArray() @NestedEach() @Type(() => AuthorizerSummary) items: AuthorizerSummary[];
}

export class ServiceCredentialView {
  @IsIn(['bearer', 'basic']) kind: 'bearer' | 'basic';
  @IsOptional() @IsString() name: string | null;
}

export class ServiceView {
  @IsString() url: string;
  /** Its secret is kept and never shown. */
  @IsOptional() @Nested() @Type(() => ServiceCredentialView) credential: ServiceCredentialView | null;
  @IsInt() timeoutMs: number;
  @IsBoolean() allowLoopbackHttp: boolean;
  @IsArray() @IsString({ each: true }) privateHosts: string[];
  @Nested() @Type(() => ServiceQuestionDto) question: ServiceQuestionDto;
  @IsOptional() @Nested() @Type(() => SignInDto) signIn: SignInDto | null;
}

export class AuthorizerView {
  @IsString() name: string;
  /** What `If-Match` takes. */
  @IsString() revision: string;
  @IsString() description: string;
  @IsOptional() @Nested() @Type(() => ScriptDto) script: ScriptDto | null;
  @IsOptional() @Nested() @Type(() => ServiceView) service: ServiceView | null;
  @IsArray() @IsString({ each: true }) passes: string[];
  @IsOptional() @Nested() @Type(() => AnswerCacheDto) cache: AnswerCacheDto | null;
  @IsArray() @NestedEach() @Type(() => AuthorizerCaseDto) cases: AuthorizerCaseDto[];
  @IsArray() @NestedEach() @Type(() => AuthorizerUse) uses: AuthorizerUse[];
  @Nested() @Type(() => AuthorizerCost) cost: AuthorizerCost;
}

/** An authorizer to be tried as it stands here, saved or not, with inputs as its cases have them. */
export class TryAuthorizerInput {
  @Nested() @Type(() => AuthorizerInput) authorizer: AuthorizerInput;
  @IsArray()
  @ArrayNotEmpty()
  @ArrayMaxSize(AUTHORIZER_BOUNDS.cases)
  @IsString({ each: true })
  @MaxLength(AUTHORIZER_BOUNDS.input, { each: true })
  inputs: string[];
}

/** A pattern of requests, and the operations calling the authorizer that have such requests. */
export class CoveredView {
  @IsString() method: string;
  @IsString() path: string;
  @IsArray() @IsString({ each: true }) operations: string[];
}

export class PassedHeader {
  @IsString() name: string;
  @IsString() value: string;
}

/** What an authorizer came to with one input. */
export class TriedView {
  @IsIn([...AUTHORIZER_ANSWERS]) says: AuthorizerSays;
  @IsString() sentence: string;
  /** Where a script failed, from 1; 0 where that is not known. */
  @IsInt() line: number;
  @IsInt() column: number;
  @IsArray() @NestedEach() @Type(() => PassedHeader) headers: PassedHeader[];
  @IsArray() @NestedEach() @Type(() => CoveredView) covers: CoveredView[];
  @IsOptional() @IsNumber() seconds: number | null;
  @IsNumber() tookMs: number;
}

export class TriedList {
  @IsArray() @NestedEach() @Type(() => TriedView) items: TriedView[];
}

/** Lets rules call an authorizer, or no longer: that of an API, or those of some of its operations. */
export class AuthorizerUsesInput {
  @IsString() @MaxLength(200) apiId: string;
  /** Null for the rule of the API itself; never left out, which could be taken for that. */
  @IsOptional() @IsArray() @ArrayMaxSize(20_000) @IsString({ each: true }) operationIds?: string[] | null;
  @IsBoolean() called: boolean;
}

/** Which request of the recorded ones an input is made of, and which tables go with it. */
export class InputOfTrace {
  @IsString() @MaxLength(100) traceId: string;
  @IsArray() @ArrayMaxSize(AUTHORIZER_BOUNDS.tables) @IsString({ each: true }) tables: string[];
  /** Whether it is shown the request's body, as `request.body`; left out, it is not. */
  @MayBeLeftOut() @IsBoolean() body?: boolean;
}

export class CaseInputView {
  /** JSON text. */
  @IsString() input: string;
  /** What a trace does not keep, so that it has to be put in by hand; empty where nothing is missing. */
  @IsString() missing: string;
}

/** A case that was run before publishing. */
export class CaseResultView {
  @IsString() authorizer: string;
  @IsString() name: string;
  @IsIn([...AUTHORIZER_ANSWERS]) expected: AuthorizerSays;
  /** Null where it could not be run. */
  @IsOptional() @IsIn([...AUTHORIZER_ANSWERS]) says: AuthorizerSays | null;
  @IsString() sentence: string;
  @IsBoolean() holds: boolean;
  /** Whether whoever published named it, so that it did not stop the release. */
  @IsBoolean() overruled: boolean;
}

export class CaseResults {
  @IsArray() @NestedEach() @Type(() => CaseResultView) items: CaseResultView[];
}
