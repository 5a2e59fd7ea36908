import { Type } from 'class-transformer';
import { IsArray, IsInt, IsObject, IsOptional, IsString } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested, NestedEach } from '../nested.js';

/** One wrong field: a JSON Pointer into the body that was sent, and what is wrong there. */
export class FieldProblem {
  @IsString() pointer: string;
  @IsString() detail: string;
}

/** A part of the draft as it was or is. */
export class PartVersion {
  /** Null where the part is gone. */
  @IsOptional() @IsString() revision: string | null;
  /** Null where it is gone, or too far back to be found again. */
  @IsOptional() @IsObject() content: object | null;
}

/** Every error of the control API (RFC 9457). */
export class ProblemDocument {
  @IsString() type: string;
  @IsString() title: string;
  @IsInt() status: number;
  @MayBeLeftOut() @IsString() detail?: string;
  @MayBeLeftOut() @IsArray() @NestedEach() @Type(() => FieldProblem) errors?: FieldProblem[];
  /** With status 412: what the edit began from, and what there is now. */
  @MayBeLeftOut() @Nested() @Type(() => PartVersion) began?: PartVersion;
  @MayBeLeftOut() @Nested() @Type(() => PartVersion) now?: PartVersion;
}
