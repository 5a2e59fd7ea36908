import type { RequestOutcome } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsBoolean, IsIn, IsInt, IsNotEmpty, IsOptional, IsString, Matches, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { HeaderView, StepView } from './explanations.js';
import { IsAddress } from './addresses.js';
import { Nested, NestedEach } from '../nested.js';

export class ProbeHeaderDto {
  @IsString() @Matches(/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/, { message: 'Not a header name' }) @MaxLength(200) name: string;
  @IsString() @Matches(/^[\t\x20-\x7e\x80-\uffff]*$/, { message: 'A header value is one line' }) @MaxLength(16_384) value: string;
}

export class ProbeInput {
  @Matches(/^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,40}$/, { message: 'Not a method' }) method: string;
  @IsString()
  @Matches(/^\/[\x21-\x7e]*$/, { message: 'A path begins with a slash and has no spaces; encode what a URL cannot hold' })
  @MaxLength(9000)
  target: string;
  @IsArray() @ArrayMaxSize(100) @NestedEach() @Type(() => ProbeHeaderDto) headers: ProbeHeaderDto[];
  @MayBeLeftOut() @IsString() @MaxLength(1024 * 1024) body?: string;
  @IsIn(['nobody', 'token', 'persona']) sender: 'nobody' | 'token' | 'persona';
  /** For the sender `token`: what is sent behind “Bearer ”. */
  @MayBeLeftOut() @IsString() @MaxLength(32_768) token?: string;
  @MayBeLeftOut() @IsString() @IsNotEmpty() personaId?: string;
  /** What of the persona's token is sent: the access token, the ID token in its place, or the access token with an edited payload. */
  @MayBeLeftOut() @IsIn(['access-token', 'id-token', 'tampered']) proof?: 'access-token' | 'id-token' | 'tampered';
  @IsIn(['draft', 'live']) against: 'draft' | 'live';
  /** For the draft: the address that the connection comes from; left out for that of the control plane. */
  @MayBeLeftOut() @IsAddress() from?: string;
  /** For the draft: whether a request that passes is sent to the upstream. */
  @IsBoolean() forward: boolean;
}

export class ProbeAnswerView {
  @IsInt() status: number;
  @IsArray() @NestedEach() @Type(() => HeaderView) headers: HeaderView[];
  @IsOptional() @IsString() body: string | null;
  @IsInt() bodyBytes: number;
  @IsBoolean() truncated: boolean;
}

export class ProbeView {
  @IsIn(['passed', 'refused', 'would-refuse']) outcome: RequestOutcome;
  @IsIn(['draft', 'live']) against: 'draft' | 'live';
  @IsOptional() @IsString() traceId: string | null;
  @IsArray() @NestedEach() @Type(() => StepView) steps: StepView[];
  /** Null when a request passed the draft and was not to be sent on. */
  @IsOptional() @Nested() @Type(() => ProbeAnswerView) answer: ProbeAnswerView | null;
  @IsInt() tookMs: number;
}
