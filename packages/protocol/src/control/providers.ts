import type { Algorithm, AttributeSource, ClaimMap, ClaimSource, ClaimTranslation } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { ALL_ALGORITHMS } from './token-rule.js';
import { Nested, NestedEach } from '../nested.js';

const ISSUER = /^https?:\/\/[^\s?#@]+$/i;
const ISSUER_SAID = { message: 'An issuer is an https address without query or fragment, exactly as the provider writes it' };

/** One spelling that stands for others. */
export class ClaimTranslationDto implements ClaimTranslation {
  @IsString() @IsNotEmpty({ message: 'Name the value that is translated' }) @MaxLength(500) from: string;
  @IsArray() @ArrayMaxSize(50) @IsString({ each: true }) @IsNotEmpty({ each: true }) @MaxLength(300, { each: true }) to: string[];
}

/** Where one member of the principal comes from. A path that begins with a slash is a JSON Pointer; any other is a claim's name. */
export class ClaimSourceDto implements ClaimSource {
  @IsArray()
  @ArrayMaxSize(10)
  @IsString({ each: true })
  @IsNotEmpty({ each: true, message: 'A path cannot be empty' })
  @MaxLength(300, { each: true })
  paths: string[];
  @IsIn(['space', 'comma', 'none']) split: 'space' | 'comma' | 'none';
  @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) @IsNotEmpty({ each: true }) @MaxLength(300, { each: true }) stripPrefixes: string[];
  @IsArray() @ArrayMaxSize(500) @NestedEach() @Type(() => ClaimTranslationDto) table: ClaimTranslationDto[];
  @IsIn(['keep', 'drop']) unlisted: 'keep' | 'drop';
  @IsArray() @ArrayMaxSize(50) @IsString({ each: true }) @MaxLength(300, { each: true }) fallback: string[];
}

export class AttributeSourceDto extends ClaimSourceDto implements AttributeSource {
  @IsString() @Matches(/^[A-Za-z][\w-]{0,60}$/, { message: 'An attribute begins with a letter and has letters, digits, dashes and underscores' }) name: string;
}

/** How a provider's claims become a principal. */
export class ClaimMapDto implements ClaimMap {
  @Nested() @Type(() => ClaimSourceDto) subject: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) client: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) scopes: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) roles: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) groups: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) tenant: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) acr: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) amr: ClaimSourceDto;
  @Nested() @Type(() => ClaimSourceDto) authTime: ClaimSourceDto;
  @IsArray() @ArrayMaxSize(30) @NestedEach() @Type(() => AttributeSourceDto) attributes: AttributeSourceDto[];
}

const SOURCES = ['discovery', 'key-set-url', 'keys', 'secret', 'introspection', 'userinfo'] as const;
export type SourceKind = (typeof SOURCES)[number];
const URL_SAID = { message: 'Give an http or https address' };

/** Where trust in a provider's tokens comes from. Which members count depends on the kind. */
export class ProviderSourceDto {
  @IsIn([...SOURCES]) kind: SourceKind;
  /** For `key-set-url`. */
  @MayBeLeftOut() @IsString() @MaxLength(1000) @Matches(/^https?:\/\//i, URL_SAID) url?: string;
  /** For `keys`: a JWK, a JWK Set, or PEM of public keys or certificates. Given when it changes. */
  @MayBeLeftOut() @IsString() @MaxLength(200_000) keys?: string;
  /** For `secret` (at least 32 characters) and the client of `introspection`: given when it changes, never shown. */
  @MayBeLeftOut() @IsString() @MaxLength(20_000) secret?: string;
  /** For `introspection` and `userinfo`. */
  @MayBeLeftOut() @IsString() @MaxLength(1000) @Matches(/^https?:\/\//i, URL_SAID) endpoint?: string;
  @MayBeLeftOut() @IsIn(['client_secret_basic', 'client_secret_post', 'private_key_jwt']) method?:
    'client_secret_basic' | 'client_secret_post' | 'private_key_jwt';
  @MayBeLeftOut() @IsString() @MaxLength(300) clientId?: string;
  @MayBeLeftOut() @IsInt() @Min(0) @Max(3600) positiveSeconds?: number;
  @MayBeLeftOut() @IsInt() @Min(0) @Max(300) negativeSeconds?: number;
  @MayBeLeftOut() @IsInt() @Min(50) @Max(30_000) timeoutMs?: number;
  /** Counted as `aud` when the provider's answer names none. */
  @IsOptional() @IsString() @MaxLength(500) impliedAudience?: string | null;
}

/** The same, as it is kept: without keys and secrets. */
export class ProviderSourceView {
  @IsIn([...SOURCES]) kind: SourceKind;
  @IsOptional() @IsString() url: string | null;
  @IsInt() keyCount: number;
  /** Whether a secret is kept. */
  @IsBoolean() secretSet: boolean;
  @IsOptional() @IsString() endpoint: string | null;
  @IsOptional() @IsString() method: string | null;
  @IsOptional() @IsString() clientId: string | null;
  @IsOptional() @IsInt() positiveSeconds: number | null;
  @IsOptional() @IsInt() negativeSeconds: number | null;
  @IsOptional() @IsInt() timeoutMs: number | null;
  @IsOptional() @IsString() impliedAudience: string | null;
}

export class DiscoverInput {
  @IsString() @MaxLength(1000) @Matches(ISSUER, ISSUER_SAID) issuer: string;
  @MayBeLeftOut() @IsBoolean() allowLoopbackHttp?: boolean;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) privateHosts?: string[];
}

export class ProviderInput extends DiscoverInput {
  @IsString() @IsNotEmpty({ message: 'Give the provider a name' }) @MaxLength(100) name: string;
  /** Discovery when left out. */
  @MayBeLeftOut() @Nested() @Type(() => ProviderSourceDto) source?: ProviderSourceDto;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @IsIn(ALL_ALGORITHMS as Algorithm[], { each: true }) algorithms?: Algorithm[];
  @MayBeLeftOut() @IsInt() @Min(0) @Max(300) leewaySeconds?: number;
  @MayBeLeftOut() @IsInt() @Min(60) @Max(604_800) lastGoodSeconds?: number;
  /** What the standards spell when left out. */
  @MayBeLeftOut() @Nested() @Type(() => ClaimMapDto) claimMap?: ClaimMapDto;
}

/** Members left out stay as they are. The issuer cannot change: another issuer is another provider. */
export class ProviderPatch {
  @MayBeLeftOut() @IsString() @IsNotEmpty({ message: 'Give the provider a name' }) @MaxLength(100) name?: string;
  @MayBeLeftOut() @Nested() @Type(() => ProviderSourceDto) source?: ProviderSourceDto;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @IsIn(ALL_ALGORITHMS as Algorithm[], { each: true }) algorithms?: Algorithm[];
  @MayBeLeftOut() @IsInt() @Min(0) @Max(300) leewaySeconds?: number;
  @MayBeLeftOut() @IsInt() @Min(60) @Max(604_800) lastGoodSeconds?: number;
  @MayBeLeftOut() @IsBoolean() allowLoopbackHttp?: boolean;
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) privateHosts?: string[];
  @MayBeLeftOut() @Nested() @Type(() => ClaimMapDto) claimMap?: ClaimMapDto;
}

export class KeyView {
  @IsOptional() @IsString() kid: string | null;
  @IsString() keyType: string;
  @IsOptional() @IsString() curve: string | null;
  @IsInt() bits: number;
  @IsOptional() @IsString() algorithm: string | null;
  @IsString() thumbprint: string;
  /** When this installation first saw the key, milliseconds since the epoch; null before it is trusted. */
  @IsOptional() @IsInt() firstSeenAt: number | null;
  @IsOptional() @IsInt() lastSeenAt: number | null;
  /** Still in the provider's key set. */
  @IsBoolean() published: boolean;
}

export class RefusedKeyView {
  @IsInt() index: number;
  @IsOptional() @IsString() kid: string | null;
  @IsString() reason: string;
}

export class DiscoveryAttemptView {
  @IsString() url: string;
  @IsString() result: string;
}

/** What a provider says of itself, looked at before it is trusted. */
export class DiscoveryView {
  @IsBoolean() ok: boolean;
  @IsOptional() @IsString() problem: string | null;
  @IsArray() @NestedEach() @Type(() => DiscoveryAttemptView) attempts: DiscoveryAttemptView[];
  @IsOptional() @IsString() jwksUri: string | null;
  @IsOptional() @IsString() authorizationEndpoint: string | null;
  @IsOptional() @IsString() tokenEndpoint: string | null;
  @IsArray() @IsString({ each: true }) signingAlgorithms: string[];
  @IsArray() @IsString({ each: true }) grantTypes: string[];
  @IsOptional() @IsString() introspectionEndpoint: string | null;
  @IsOptional() @IsString() userinfoEndpoint: string | null;
  @IsArray() @NestedEach() @Type(() => KeyView) keys: KeyView[];
  @IsArray() @NestedEach() @Type(() => RefusedKeyView) refused: RefusedKeyView[];
}

/** Something that the provider says of itself otherwise than it is set here. */
export class ProviderDifference {
  @IsString() what: string;
  @IsString() set: string;
  @IsString() said: string;
  /** What follows from it, in words. */
  @IsString() means: string;
}

/** What a trusted provider says of itself now, held against what is set. */
export class ProviderComparison {
  @Nested() @Type(() => DiscoveryView) said: DiscoveryView;
  @IsArray() @NestedEach() @Type(() => ProviderDifference) differences: ProviderDifference[];
}

export class ProviderView {
  /** What `If-Match` takes. */
  @IsString() revision: string;
  @IsString() id: string;
  @IsString() name: string;
  @IsString() issuer: string;
  @IsArray() @IsString({ each: true }) algorithms: string[];
  @IsInt() leewaySeconds: number;
  @IsInt() lastGoodSeconds: number;
  @IsBoolean() allowLoopbackHttp: boolean;
  @IsArray() @IsString({ each: true }) privateHosts: string[];
  @Nested() @Type(() => ProviderSourceView) source: ProviderSourceView;
  @Nested() @Type(() => ClaimMapDto) claimMap: ClaimMapDto;
  /** Calls to its introspection endpoint since the node started; null for providers with keys. */
  @IsOptional() @IsInt() calls: number | null;
  /** Whether the draft of this provider differs from what is live. */
  @IsIn(['same', 'changed', 'new']) change: 'same' | 'changed' | 'new';
  /** As the gateway node sees it; `not-live` while no release holds the provider. */
  @IsIn(['reachable', 'last-good', 'failing', 'not-asked', 'not-live']) state: 'reachable' | 'last-good' | 'failing' | 'not-asked' | 'not-live';
  @IsString() reason: string;
  @IsOptional() @IsInt() fetchedAt: number | null;
  @IsArray() @NestedEach() @Type(() => KeyView) keys: KeyView[];
  @IsArray() @NestedEach() @Type(() => RefusedKeyView) refused: RefusedKeyView[];
  /** Schemes of APIs that this provider's tokens meet, as “API name, scheme”. */
  @IsArray() @IsString({ each: true }) usedBy: string[];
}
