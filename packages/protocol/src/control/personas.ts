import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { SCOPE_PATTERN } from './access.js';
import { Nested } from '../nested.js';

/** A saved way of getting a token of a trusted provider, for the probe. */
export class PersonaInput {
  @IsString() @IsNotEmpty({ message: 'Give the persona a name' }) @MaxLength(100) name: string;
  @IsString() @IsNotEmpty({ message: 'Choose a provider' }) providerId: string;
  @IsIn(['client_credentials', 'authorization_code']) grant: 'client_credentials' | 'authorization_code';
  @IsString() @IsNotEmpty({ message: 'Give the client id' }) @MaxLength(300) clientId: string;
  /** Left out when a persona is changed: stays. Empty: a public client. */
  @MayBeLeftOut() @IsString() @MaxLength(1000) clientSecret?: string;
  @IsArray() @ArrayMaxSize(100) @Matches(SCOPE_PATTERN, { each: true, message: 'A scope has no spaces, quotes or backslashes' }) scopes: string[];
  /** The API the token is asked for (RFC 8707); empty asks for none. */
  @IsString() @MaxLength(500) resource: string;
}

export class TokenStanding {
  @IsIn(['none', 'ready', 'expired']) state: 'none' | 'ready' | 'expired';
  @IsOptional() @IsInt() expiresAt: number | null;
}

export class PersonaView {
  @IsString() id: string;
  @IsString() name: string;
  @IsString() providerId: string;
  @IsString() providerName: string;
  @IsIn(['client_credentials', 'authorization_code']) grant: 'client_credentials' | 'authorization_code';
  @IsString() clientId: string;
  @IsIn(['kept', 'none']) secret: 'kept' | 'none';
  @IsArray() @IsString({ each: true }) scopes: string[];
  @IsString() resource: string;
  @Nested() @Type(() => TokenStanding) token: TokenStanding;
  /** Address to register at the provider as redirect URI. */
  @IsString() redirectUri: string;
}

export class SignInStart {
  /** Where the browser is to go. */
  @IsString() url: string;
}

export class TokenView {
  @IsString() accessToken: string;
  @IsOptional() @IsString() idToken: string | null;
  @IsOptional() @IsInt() expiresAt: number | null;
}
