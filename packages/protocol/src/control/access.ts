import type { SchemeRequirement } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsIn, IsNotEmpty, IsString, Matches, MaxLength } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { NestedEach } from '../nested.js';

/** A scope as RFC 6749 section 3.3 spells it. */
export const SCOPE_PATTERN = /^[\x21\x23-\x5b\x5d-\x7e]+$/;

export class RequirementDto implements Omit<SchemeRequirement, 'roles'> {
  @IsString() @IsNotEmpty() @MaxLength(200) scheme: string;
  @IsArray()
  @ArrayMaxSize(100)
  @IsString({ each: true })
  @Matches(SCOPE_PATTERN, { each: true, message: 'A scope has no spaces, quotes or backslashes' })
  scopes: string[];
  @IsIn(['all', 'any']) match: 'all' | 'any';
  /** Roles of the principal, any one of which is enough; none when left out. */
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(100) @IsString({ each: true }) @IsNotEmpty({ each: true }) @MaxLength(200, { each: true }) roles?: string[];
}

export class AlternativeDto {
  @IsArray() @ArrayMaxSize(10) @NestedEach() @Type(() => RequirementDto) schemes: RequirementDto[];
}

/** Who may call; `alternatives` counts for `required` only. */
export class AccessDto {
  @IsIn(['open', 'public', 'required']) kind: 'open' | 'public' | 'required';
  @MayBeLeftOut() @IsIn(['contract', 'hand']) origin?: 'contract' | 'hand';
  @MayBeLeftOut() @IsArray() @ArrayMaxSize(20) @NestedEach() @Type(() => AlternativeDto) alternatives?: AlternativeDto[];
}
