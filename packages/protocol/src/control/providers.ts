import { PUBLIC_KEY_ALGORITHMS, type Algorithm } from '@virga/core';
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
  ValidateNested,
} from 'class-validator';

const ISSUER = /^https?:\/\/[^\s?#@]+$/i;
const ISSUER_SAID = { message: 'An issuer is an https address without query or fragment, exactly as the provider writes it' };

export class DiscoverInput {
  @IsString() @MaxLength(1000) @Matches(ISSUER, ISSUER_SAID) issuer: string;
  @IsOptional() @IsBoolean() allowLoopbackHttp?: boolean;
  @IsOptional() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) privateHosts?: string[];
}

export class ProviderInput extends DiscoverInput {
  @IsString() @IsNotEmpty({ message: 'Give the provider a name' }) @MaxLength(100) name: string;
  @IsOptional()
  @IsArray()
  @ArrayNotEmpty({ message: 'Accept at least one algorithm' })
  @IsIn(PUBLIC_KEY_ALGORITHMS as string[], { each: true })
  algorithms?: Algorithm[];
  @IsOptional() @IsInt() @Min(0) @Max(300) leewaySeconds?: number;
  @IsOptional() @IsInt() @Min(60) @Max(604_800) lastGoodSeconds?: number;
}

/** Members left out stay as they are. The issuer cannot change: another issuer is another provider. */
export class ProviderPatch {
  @IsOptional() @IsString() @IsNotEmpty({ message: 'Give the provider a name' }) @MaxLength(100) name?: string;
  @IsOptional()
  @IsArray()
  @ArrayNotEmpty({ message: 'Accept at least one algorithm' })
  @IsIn(PUBLIC_KEY_ALGORITHMS as string[], { each: true })
  algorithms?: Algorithm[];
  @IsOptional() @IsInt() @Min(0) @Max(300) leewaySeconds?: number;
  @IsOptional() @IsInt() @Min(60) @Max(604_800) lastGoodSeconds?: number;
  @IsOptional() @IsBoolean() allowLoopbackHttp?: boolean;
  @IsOptional() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) privateHosts?: string[];
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
  @IsArray() @ValidateNested({ each: true }) @Type(() => DiscoveryAttemptView) attempts: DiscoveryAttemptView[];
  @IsOptional() @IsString() jwksUri: string | null;
  @IsOptional() @IsString() authorizationEndpoint: string | null;
  @IsOptional() @IsString() tokenEndpoint: string | null;
  @IsArray() @IsString({ each: true }) signingAlgorithms: string[];
  @IsArray() @IsString({ each: true }) grantTypes: string[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => KeyView) keys: KeyView[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => RefusedKeyView) refused: RefusedKeyView[];
}

export class ProviderView {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() issuer: string;
  @IsArray() @IsString({ each: true }) algorithms: string[];
  @IsInt() leewaySeconds: number;
  @IsInt() lastGoodSeconds: number;
  @IsBoolean() allowLoopbackHttp: boolean;
  @IsArray() @IsString({ each: true }) privateHosts: string[];
  /** Whether the draft of this provider differs from what is live. */
  @IsIn(['same', 'changed', 'new']) change: 'same' | 'changed' | 'new';
  /** As the gateway node sees it; `not-live` while no release holds the provider. */
  @IsIn(['reachable', 'last-good', 'failing', 'not-asked', 'not-live']) state: 'reachable' | 'last-good' | 'failing' | 'not-asked' | 'not-live';
  @IsString() reason: string;
  @IsOptional() @IsInt() fetchedAt: number | null;
  @IsArray() @ValidateNested({ each: true }) @Type(() => KeyView) keys: KeyView[];
  @IsArray() @ValidateNested({ each: true }) @Type(() => RefusedKeyView) refused: RefusedKeyView[];
  /** Schemes of APIs that this provider's tokens meet, as “API name, scheme”. */
  @IsArray() @IsString({ each: true }) usedBy: string[];
}
