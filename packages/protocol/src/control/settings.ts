import type { CertificateHeaderRule } from '@virga/core';
import { ArrayMaxSize, IsArray, IsBoolean, IsInt, IsString, Matches, Max, MaxLength, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';

/** How long traces are kept: whichever bound is met first. Members left out of a change stay as they are. */
export class RetentionDto {
  @MayBeLeftOut() @IsInt() @Min(100) @Max(5_000_000) traceCount?: number;
  @MayBeLeftOut() @IsInt() @Min(1) @Max(8760) traceHours?: number;
}

/** Which hops in front of the gateway may pass client certificates on, and how. */
export class CertificateHeaderDto implements CertificateHeaderRule {
  @IsBoolean() enabled: boolean;
  @IsString() @MaxLength(100) @Matches(/^[a-z0-9-]*$/, { message: 'A header name in lower case' }) name: string;
  @IsArray()
  @ArrayMaxSize(100)
  @Matches(/^[0-9a-f.:]+(\/\d{1,3})?$/i, { each: true, message: 'An address or a network, as 192.0.2.7 or 192.0.2.0/24' })
  trustedHops: string[];
}
