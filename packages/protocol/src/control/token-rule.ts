import { PUBLIC_KEY_ALGORITHMS, type Algorithm, type ClaimDemand, type StepUpRule } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, ArrayNotEmpty, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';

const HS: readonly Algorithm[] = ['HS256', 'HS384', 'HS512'];
export const ALL_ALGORITHMS: readonly Algorithm[] = [...PUBLIC_KEY_ALGORITHMS, ...HS];

/** Where a token travels. */
export class TokenPlaceDto {
  @IsIn(['header', 'cookie', 'query']) kind: 'header' | 'cookie' | 'query';
  /** Header names in lower case. */
  @IsString() @MaxLength(100) @Matches(/^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/, { message: 'Not a name for a header, cookie or parameter' }) name: string;
  /** For headers: the word in front of the token; left out when the token stands alone. */
  @IsOptional() @IsString() @MaxLength(40) @Matches(/^[!#$%&'*+\-.^_`|~0-9A-Za-z]*$/, { message: 'A scheme is one word' }) scheme?: string | null;
}

/** A claim that must be there. A path that begins with a slash is a JSON Pointer; any other is the claim's name. */
export class ClaimDemandDto implements ClaimDemand {
  @IsString() @IsNotEmpty({ message: 'Name the claim' }) @MaxLength(300) path: string;
  /** One of these must be its value; empty asks only that it is there. */
  @IsArray() @ArrayMaxSize(100) @IsString({ each: true }) @MaxLength(500, { each: true }) values: string[];
}

/** How strongly and lately the user must have signed in (RFC 9470). */
export class StepUpDto implements StepUpRule {
  @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) @IsNotEmpty({ each: true }) acrValues: string[];
  @IsOptional() @IsInt() @Min(0) @Max(31_536_000) maxAgeSeconds: number | null;
}

/** Parts of a token rule. Members left out stay as they are, or are as the API has them. */
export class TokenOverrideDto {
  @MayBeLeftOut() @IsArray() @ArrayNotEmpty() @ArrayMaxSize(4) @NestedEach() @Type(() => TokenPlaceDto) places?: TokenPlaceDto[];
  /** `at+jwt`, `ANY_TYPE`, or another value of `typ`. */
  @MayBeLeftOut() @IsString() @IsNotEmpty({ message: 'Name a type, or take any' }) @MaxLength(60) type?: string;
  /** Values of which one must be in `aud`; empty only together with `anyAudience`. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) @IsNotEmpty({ each: true }) @MaxLength(500, { each: true }) audiences?: string[];
  @MayBeLeftOut() @IsBoolean() anyAudience?: boolean;
  /** Narrows what providers are taken with; empty takes what the provider has. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @IsIn(ALL_ALGORITHMS as Algorithm[], { each: true }) algorithms?: Algorithm[];
  /** Clients whose tokens are taken; empty takes those of any. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(200) @IsString({ each: true }) @IsNotEmpty({ each: true }) clients?: string[];
  /** Null takes the provider's. */
  @IsOptional() @IsInt() @Min(0) @Max(300) leewaySeconds?: number | null;
  /** Longest time since `iat`, seconds; null asks for none. */
  @IsOptional() @IsInt() @Min(1) @Max(31_536_000) maxAgeSeconds?: number | null;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(50) @NestedEach() @Type(() => ClaimDemandDto) claims?: ClaimDemandDto[];
  @MayBeLeftOut() @IsIn(['if-bound', 'required']) dpop?: 'if-bound' | 'required';
  @MayBeLeftOut() @IsBoolean() dpopNonce?: boolean;
  @MayBeLeftOut() @IsIn(['if-bound', 'required']) certificate?: 'if-bound' | 'required';
  /** Null asks for none. */
  @IsOptional() @Nested() @Type(() => StepUpDto) stepUp?: StepUpDto | null;
}

/** The token rule of an API, whole. */
export class TokenRuleDto extends TokenOverrideDto {
  /** Private keys (JWK or JWK Set) that open encrypted tokens: given when they change, never shown. Empty takes them away. */
  @MayBeLeftOut() @IsString() @MaxLength(32_768) decryptionKeys?: string;
  /** Whether such keys are kept. */
  @MayBeLeftOut() @IsBoolean() decryptionSet?: boolean;
}
