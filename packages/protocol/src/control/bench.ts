import { STEPS, type StepId, type StepOutcome } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsObject, IsOptional, IsString, Matches, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { SCOPE_PATTERN } from './access.js';
import { ComparisonView, HeaderView, StepView } from './explanations.js';
import { Nested, NestedEach } from '../nested.js';

/** What a token is held against: an operation, an API with its default rule, or a provider alone; the first that is given. */
export class BenchTarget {
  @IsIn(['draft', 'live']) against: 'draft' | 'live';
  @MayBeLeftOut() @IsString() @MaxLength(100) apiId?: string;
  /** Of that API; its default rule when left out. */
  @MayBeLeftOut() @IsString() @MaxLength(3000) operationId?: string;
  @MayBeLeftOut() @IsString() @MaxLength(100) providerId?: string;
  /** Lets the draft trust the bench's own issuer for this one question. Never the live release. */
  @MayBeLeftOut() @IsBoolean() trustBench?: boolean;
}

export class ExamineInput extends BenchTarget {
  @IsString() @IsNotEmpty({ message: 'Paste a token' }) @MaxLength(40_000) token: string;
  /** A proof that goes along in the header DPoP. */
  @MayBeLeftOut() @IsString() @MaxLength(16_384) dpopProof?: string;
  /** Thumbprint (x5t#S256) of a client certificate that the caller would show. */
  @MayBeLeftOut() @IsString() @MaxLength(100) certificate?: string;
  /** An API key that goes along, where the operation looks for one. */
  @MayBeLeftOut() @Matches(/^[\x21-\x7e]{1,1024}$/, { message: 'A key is one word of ASCII, up to 1024 characters' }) key?: string;
}

/** One check in words. */
export class CheckView {
  @IsString() id: string;
  @IsString() name: string;
  @IsIn([...STEPS]) step: StepId;
  @IsIn(['pass', 'refuse', 'skip', 'would-refuse']) outcome: StepOutcome;
  @IsString() code: string;
  @IsString() sentence: string;
  @IsArray() @NestedEach() @Type(() => ComparisonView) comparisons: ComparisonView[];
  @IsString() standard: string;
  @IsString() remedy: string;
  /** Whether the gateway stops here. */
  @IsBoolean() decides: boolean;
}

/** A token held against a rule: what the gateway decides, and every single check. */
export class ExamineView {
  @IsIn(['passed', 'refused']) outcome: 'passed' | 'refused';
  @IsString() target: string;
  @IsString() code: string;
  @IsString() sentence: string;
  @IsString() remedy: string;
  @IsOptional() @IsInt() status: number | null;
  @IsArray() @NestedEach() @Type(() => StepView) steps: StepView[];
  @IsArray() @NestedEach() @Type(() => CheckView) checks: CheckView[];
  /** The principal that the claim map makes; null when the token cannot be read. */
  @IsOptional() @IsObject() principal: Record<string, unknown> | null;
}

export class TamperRow {
  @IsString() id: string;
  @IsString() title: string;
  @IsArray() @IsString({ each: true }) expected: string[];
  @IsString() code: string;
  @IsOptional() @IsInt() status: number | null;
  @IsString() sentence: string;
  /** `stopped`: as expected. `stopped-otherwise`: refused by another check. `passed`: it got through. */
  @IsIn(['stopped', 'stopped-otherwise', 'passed']) result: 'stopped' | 'stopped-otherwise' | 'passed';
  @IsString() token: string;
}

export class TamperView {
  @IsString() target: string;
  @IsArray() @NestedEach() @Type(() => TamperRow) rows: TamperRow[];
}

/** A token to be signed by the bench's own issuer. */
export class MintInput {
  @IsIn(['RS256', 'PS256', 'ES256', 'ES384', 'EdDSA']) algorithm: 'RS256' | 'PS256' | 'ES256' | 'ES384' | 'EdDSA';
  @IsObject({ message: 'Claims are a JSON object' }) claims: Record<string, unknown>;
  /** Added to `alg` and `kid`, which the bench sets unless they are given. */
  @MayBeLeftOut() @IsObject({ message: 'A header is a JSON object' }) header?: Record<string, unknown>;
}

export class MintView {
  @IsString() token: string;
  @IsString() issuer: string;
  @IsString() kid: string;
}

export class BenchIssuerView {
  @IsString() issuer: string;
  /** Its public key set (RFC 7517 section 5). */
  @IsObject() keySet: Record<string, unknown>;
}

const GRANTS = ['client_credentials', 'authorization_code', 'refresh_token', 'device_code', 'token_exchange', 'password', 'implicit'] as const;
export type GrantKind = (typeof GRANTS)[number];

/** A grant to be carried out with a provider. Which members count depends on the grant. */
export class GrantInput {
  @IsString() @IsNotEmpty({ message: 'Choose a provider' }) providerId: string;
  @IsIn([...GRANTS]) grant: GrantKind;
  @IsString() @IsNotEmpty({ message: 'Give the client id' }) @MaxLength(300) clientId: string;
  /** Used once and not kept. */
  @MayBeLeftOut() @IsString() @MaxLength(4000) clientSecret?: string;
  @IsArray() @ArrayMaxSize(100) @Matches(SCOPE_PATTERN, { each: true, message: 'A scope has no spaces, quotes or backslashes' }) scopes: string[];
  @MayBeLeftOut() @IsString() @MaxLength(500) resource?: string;
  @MayBeLeftOut() @IsString() @MaxLength(40_000) refreshToken?: string;
  /** For token exchange (RFC 8693). */
  @MayBeLeftOut() @IsString() @MaxLength(40_000) subjectToken?: string;
  @MayBeLeftOut() @IsString() @MaxLength(300) audience?: string;
  /** For the password grant. */
  @MayBeLeftOut() @IsString() @MaxLength(300) userName?: string;
  @MayBeLeftOut() @IsString() @MaxLength(1000) password?: string;
}

/** One HTTP exchange with the provider, secrets masked. */
export class ExchangeView {
  @IsString() method: string;
  @IsString() url: string;
  @IsArray() @NestedEach() @Type(() => HeaderView) requestHeaders: HeaderView[];
  @IsString() requestBody: string;
  @IsOptional() @IsInt() status: number | null;
  @IsArray() @NestedEach() @Type(() => HeaderView) responseHeaders: HeaderView[];
  @IsString() responseBody: string;
  @IsInt() tookMs: number;
  /** The request as a curl line, secrets as shell variables. */
  @IsString() curl: string;
}

export class PkceView {
  @IsString() verifier: string;
  @IsString() challenge: string;
  @IsString() method: string;
}

/** How far a grant has come. */
export class GrantView {
  @IsString() id: string;
  @IsIn(['waiting', 'done', 'failed']) state: 'waiting' | 'done' | 'failed';
  /** What is waited for, or what went wrong, in words. */
  @IsString() says: string;
  /** Warnings about the grant itself. */
  @IsArray() @IsString({ each: true }) warnings: string[];
  @IsArray() @NestedEach() @Type(() => ExchangeView) exchanges: ExchangeView[];
  @IsOptional() @Nested() @Type(() => PkceView) pkce: PkceView | null;
  /** Where a person must go; null when nobody must. */
  @IsOptional() @IsString() goTo: string | null;
  @IsOptional() @IsString() userCode: string | null;
  @IsOptional() @IsString() accessToken: string | null;
  @IsOptional() @IsString() idToken: string | null;
  @IsOptional() @IsString() refreshToken: string | null;
  @IsOptional() @IsString() tokenType: string | null;
  @IsOptional() @IsInt() expiresAt: number | null;
}

/** A token kept by name. Its signature is taken off, so that what is kept is worth nothing. */
export class SavedTokenInput {
  @IsString() @IsNotEmpty({ message: 'Give it a name' }) @MaxLength(100) name: string;
  @IsString() @IsNotEmpty() @MaxLength(40_000) token: string;
}

export class SavedTokenView {
  @IsString() id: string;
  @IsString() name: string;
  /** Header and payload with an empty signature. */
  @IsString() text: string;
  @IsInt() savedAt: number;
}

export class SavedTokenList {
  @IsArray() @NestedEach() @Type(() => SavedTokenView) items: SavedTokenView[];
}
