import { SUBSCRIPTION_STATES, type SubscriptionState } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, ArrayMinSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, MaxLength } from 'class-validator';
import { HeaderView } from '../control/explanations.js';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { IsMoment } from '../moment.js';
import { Nested, NestedEach } from '../nested.js';
import { SCOPE_PATTERN } from '../control/access.js';
import { OneLine } from './names.js';

/** A program of a team, as the team describes it. */
export class OwnClientInput {
  @OneLine(100, 'A client needs a name') name: string;
  @MayBeLeftOut() @IsString() @MaxLength(1000) description?: string;
}

export class OwnClientPatch {
  @MayBeLeftOut() @OneLine(100, 'A client needs a name') name?: string;
  @MayBeLeftOut() @IsString() @MaxLength(1000) description?: string;
}

export class OwnCredential {
  @IsString() id: string;
  @IsIn(['key', 'basic', 'certificate', 'provider-client']) kind: 'key' | 'basic' | 'certificate' | 'provider-client';
  @IsString() name: string;
  /** How it begins, so that it can be told apart. */
  @IsString() hint: string;
  @IsIn(['good', 'expired', 'revoked']) state: 'good' | 'expired' | 'revoked';
  @IsInt() madeAt: number;
  @IsString() madeBy: string;
  @IsOptional() @IsInt() expiresAt: number | null;
  @IsOptional() @IsInt() lastUsedAt: number | null;
  /** Whether another takes its place. */
  @IsBoolean() replaced: boolean;
  /** Whether it was found where others can read it. */
  @IsBoolean() leaked: boolean;
  /** Redirect addresses at its provider; null where they cannot be changed here. */
  @IsOptional() @IsArray() @IsString({ each: true }) redirectUris: string[] | null;
}

/** A plan that a client has or asked for. */
export class OwnPlan {
  @IsString() id: string;
  @IsString() planId: string;
  @IsString() planName: string;
  @IsArray() @IsString({ each: true }) says: string[];
  @IsIn([...SUBSCRIPTION_STATES, 'not-yet', 'declined']) now: SubscriptionState | 'not-yet' | 'declined';
  @IsString() reason: string;
  /** What the operator says to it. */
  @IsString() answer: string;
  @IsInt() askedAt: number;
  @IsString() askedBy: string;
  @IsOptional() @IsInt() decidedAt: number | null;
  @IsOptional() @IsInt() startsAt: number | null;
  @IsOptional() @IsInt() endsAt: number | null;
}

export class OwnClient {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() description: string;
  /** Nothing of a client that the operator switched off is taken. */
  @IsBoolean() enabled: boolean;
  @IsInt() madeAt: number;
  @IsArray() @NestedEach() @Type(() => OwnCredential) credentials: OwnCredential[];
  @IsArray() @NestedEach() @Type(() => OwnPlan) plans: OwnPlan[];
}

export class OwnClients {
  @IsArray() @NestedEach() @Type(() => OwnClient) items: OwnClient[];
}

export class OwnKeyInput {
  @OneLine(100, 'Give it a name') name: string;
  @IsOptional() @IsMoment() expiresAt?: number | null;
}

export class OwnSecretMade {
  @Nested() @Type(() => OwnClient) client: OwnClient;
  @IsString() credentialId: string;
  /** This once; null for kinds that have none. */
  @IsOptional() @IsString() secret: string | null;
}

export class PlanAsked {
  @IsString() @IsNotEmpty({ message: 'Choose a plan' }) @MaxLength(100) planId: string;
  @IsString() @MaxLength(1000) reason: string;
}

const RedirectUris = (): PropertyDecorator => (target, property) => {
  IsArray()(target, property);
  ArrayMinSize(1, { message: 'Give at least one address' })(target, property);
  ArrayMaxSize(20)(target, property);
  IsString({ each: true })(target, property);
  MaxLength(500, { each: true })(target, property);
};

/** A client that is registered at a provider (RFC 7591). */
export class RegisteredClientInput {
  @IsString() @IsNotEmpty({ message: 'Choose where' }) @MaxLength(100) providerId: string;
  @RedirectUris() redirectUris: string[];
}

export class RedirectsInput {
  @RedirectUris() redirectUris: string[];
}

/** A token that is asked for at a provider for the portal's user. */
export class OwnTokenInput {
  @IsString() @IsNotEmpty({ message: 'Choose where' }) @MaxLength(100) providerId: string;
  @IsIn(['client_credentials', 'authorization_code']) grant: 'client_credentials' | 'authorization_code';
  @IsString() @IsNotEmpty({ message: 'Give the client id' }) @MaxLength(300) clientId: string;
  @MayBeLeftOut() @IsString() @MaxLength(1000) clientSecret?: string;
  @IsArray() @ArrayMaxSize(50) @Matches(SCOPE_PATTERN, { each: true, message: 'A scope is one word' }) scopes: string[];
  /** The API that it is for. */
  @IsString() @IsNotEmpty() @MaxLength(100) apiId: string;
}

export class OwnToken {
  @IsString() id: string;
  @IsIn(['waiting', 'done', 'failed']) state: 'waiting' | 'done' | 'failed';
  @IsString() says: string;
  /** The provider's page, where somebody signs in; null for none. */
  @IsOptional() @IsString() goTo: string | null;
  @IsOptional() @IsString() accessToken: string | null;
  @IsOptional() @IsInt() expiresAt: number | null;
}

export const ATTEMPT_METHODS = ['GET', 'PUT', 'POST', 'DELETE', 'OPTIONS', 'HEAD', 'PATCH'] as const;

class AttemptHeader {
  @Matches(/^[!#$%&'*+.^_`|~0-9a-zA-Z-]{1,100}$/, { message: 'The name of a header field is one word (RFC 9110 section 5.1)' }) name: string;
  @Matches(/^[\t\x20-\x7e\x80-\xff]{0,8192}$/, { message: 'The value of a header field is one line' }) value: string;
}

/** A call that is tried from a reference page, through the gateway. */
export class AttemptInput {
  @IsString() @IsNotEmpty() @MaxLength(100) apiId: string;
  @IsIn([...ATTEMPT_METHODS]) method: (typeof ATTEMPT_METHODS)[number];
  /** Path with the base of the API, and query. */
  @Matches(/^\/[\x21-\x7e]{0,8000}$/, { message: 'A path begins with a slash and has no blanks; write others as %20 and so on' }) target: string;
  @IsArray() @ArrayMaxSize(50) @NestedEach() @Type(() => AttemptHeader) headers: AttemptHeader[];
  @MayBeLeftOut() @IsString() @MaxLength(262_144) body?: string;
}

export class AttemptAnswer {
  @IsInt() status: number;
  @IsArray() @NestedEach() @Type(() => HeaderView) headers: HeaderView[];
  /** Null for what is no text. */
  @IsOptional() @IsString() body: string | null;
  @IsInt() bodyBytes: number;
  @IsBoolean() cut: boolean;
  @IsInt() tookMs: number;
  /** By which the operator finds it. */
  @IsString() requestId: string;
}
