import { Type } from 'class-transformer';
import { IsArray, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, MaxLength } from 'class-validator';
import { IsMoment } from '../moment.js';
import { NestedEach } from '../nested.js';

/** Tokens to be refused from now on, apart from any release. */
export class RevocationInput {
  @IsIn(['jti', 'subject', 'client']) kind: 'jti' | 'subject' | 'client';
  @IsString() @IsNotEmpty({ message: 'Choose a provider' }) providerId: string;
  @IsString() @IsNotEmpty({ message: 'Say which' }) @MaxLength(500) value: string;
  /** Only tokens issued before this are refused, milliseconds since the epoch; null or left out refuses later ones too. */
  @IsOptional() @IsMoment() issuedBefore?: number | null;
  @IsString() @IsNotEmpty({ message: 'Say why; it stands in the traces' }) @MaxLength(300) reason: string;
}

export class RevocationView {
  @IsString() id: string;
  @IsIn(['jti', 'subject', 'client']) kind: 'jti' | 'subject' | 'client';
  @IsString() providerId: string;
  @IsString() providerName: string;
  @IsString() value: string;
  @IsOptional() @IsInt() issuedBefore: number | null;
  @IsString() reason: string;
  @IsInt() madeAt: number;
}

export class RevocationList {
  @IsArray() @NestedEach() @Type(() => RevocationView) items: RevocationView[];
}
