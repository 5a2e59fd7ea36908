import { Type } from 'class-transformer';
import { IsArray, IsInt, IsOptional, IsString, Max, Min } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { NestedEach } from '../nested.js';

export class EditQuery {
  /** Edits before this one. */
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) before?: number;
  @MayBeLeftOut() @Type(() => Number) @IsInt() @Min(1) @Max(200) limit?: number;
}

/** One edit of the draft, or of a client. */
export class EditView {
  @IsInt() number: number;
  @IsInt() at: number;
  @IsString() by: string;
  @IsArray() @IsString({ each: true }) words: string[];
  /** The edit that this one took back. */
  @IsOptional() @IsInt() takesBack: number | null;
  /** The client that it changed, at once; null for an edit of the draft. */
  @IsOptional() @IsString() clientId: string | null;
  /** Of this edit and all before it. */
  @IsString() hash: string;
}

export class EditPage {
  @IsArray() @NestedEach() @Type(() => EditView) items: EditView[];
  /** The first edit among these at which the chain of hashes does not hold: it, or the one before it, was changed outside. */
  @IsOptional() @IsInt() brokenAt: number | null;
  @IsOptional() @IsInt() next: number | null;
}
