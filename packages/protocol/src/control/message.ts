import {
  BODY_BYTES,
  CALLER_MEMBERS,
  isMediaRange,
  type CallerMember,
  type HeaderEdit,
  type HeaderLanes,
  type HeaderValue,
  type MessageRule,
} from '@virga/core';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
  IsArray,
  IsBoolean,
  IsIn,
  IsNotEmpty,
  IsInt,
  IsString,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateBy,
  ValidateIf,
} from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { WordInstead } from '../word-instead.js';
import { Nested, NestedEach } from '../nested.js';

const [LEAST, MOST] = BODY_BYTES;
const MediaRange = (): PropertyDecorator =>
  ValidateBy(
    {
      name: 'mediaRange',
      validator: {
        validate: (value) => typeof value === 'string' && isMediaRange(value),
        defaultMessage: () => 'A content type is written as application/json, or image/* for a family',
      },
    },
    { each: true },
  );

/** Parts of a rule about bodies. Members left out stay as they are, or are as the API has them. */
export class MessageOverrideDto implements Partial<MessageRule> {
  /** Bytes; `ANY_SIZE` leaves it to the upstream. */
  @MayBeLeftOut() @WordInstead('ANY_SIZE') @IsInt() @Min(LEAST) @Max(MOST) requestBytes?: number | 'ANY_SIZE';
  /** `type/subtype` or `type/*`; `ANY_TYPE` leaves it to the upstream. */
  @MayBeLeftOut() @WordInstead('ANY_TYPE') @IsArray() @ArrayNotEmpty() @ArrayMaxSize(50) @MediaRange() contentTypes?: string[] | 'ANY_TYPE';
  @MayBeLeftOut() @WordInstead('ANY_SIZE') @IsInt() @Min(LEAST) @Max(MOST) answerBytes?: number | 'ANY_SIZE';
}

/** What bodies may be, whole. */
export class MessageDto implements MessageRule {
  @WordInstead('ANY_SIZE') @IsInt() @Min(LEAST) @Max(MOST) requestBytes: number | 'ANY_SIZE';
  @WordInstead('ANY_TYPE') @IsArray() @ArrayNotEmpty() @ArrayMaxSize(50) @MediaRange() contentTypes: string[] | 'ANY_TYPE';
  @WordInstead('ANY_SIZE') @IsInt() @Min(LEAST) @Max(MOST) answerBytes: number | 'ANY_SIZE';
}

/** A text, or a member of the caller; the one that is not meant is left out. */
export class HeaderValueDto {
  @IsIn(['text', 'caller', 'metadata']) kind: 'text' | 'caller' | 'metadata';
  @ValidateIf((value: HeaderValueDto) => value.kind === 'text')
  @IsString()
  @MaxLength(2000)
  @Matches(/^(?:[\x21-\x7e](?:[\t\x20-\x7e]*[\x21-\x7e])?)?$/, { message: 'One line of ASCII, with no blank at its ends' })
  text?: string;
  @ValidateIf((value: HeaderValueDto) => value.kind === 'caller') @IsIn([...CALLER_MEMBERS]) member?: CallerMember;
  /** Of the client’s metadata, for `metadata` alone. */
  @ValidateIf((value: HeaderValueDto) => value.kind === 'metadata')
  @IsString()
  @IsNotEmpty({ message: 'Say which member of the metadata' })
  @MaxLength(100)
  name?: string;
}

/** One change of the header fields. */
export class HeaderEditDto {
  @IsIn(['set', 'add', 'remove']) action: HeaderEdit['action'];
  @IsString() @MaxLength(100) @Matches(/^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/, { message: 'Not a header name' }) name: string;
  /** Not for `remove`. */
  @ValidateIf((edit: HeaderEditDto) => edit.action !== 'remove') @Nested() @Type(() => HeaderValueDto) value?: HeaderValueDto;
}

/** Changes of header fields in two lanes. */
export class HeaderLanesDto {
  @IsArray() @ArrayMaxSize(50) @NestedEach() @Type(() => HeaderEditDto) up: HeaderEditDto[];
  @IsArray() @ArrayMaxSize(50) @NestedEach() @Type(() => HeaderEditDto) back: HeaderEditDto[];
  @IsBoolean() hidePlatform: boolean;
}

/** The lanes that were sent, in core's own form. */
export const lanesOf = ({ up, back, hidePlatform }: HeaderLanesDto): HeaderLanes => ({ up: up.map(editOf), back: back.map(editOf), hidePlatform });

function editOf({ action, name, value }: HeaderEditDto): HeaderEdit {
  const lower = name.toLowerCase();
  return action === 'remove' ? { action, name: lower } : { action, name: lower, value: valueOf(value) };
}

function valueOf(value: HeaderValueDto | undefined): HeaderValue {
  if (value?.kind === 'caller') return { kind: 'caller', member: value.member ?? 'client' };
  if (value?.kind === 'metadata') return { kind: 'metadata', name: value.name ?? '' };
  return { kind: 'text', text: value?.text ?? '' };
}
