import { Type } from 'class-transformer';
import { IsArray, IsInt, IsString } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { NestedEach } from '../nested.js';

/** One wrong field: a JSON Pointer into the body that was sent, and what is wrong there. */
export class FieldProblem {
  @IsString() pointer: string;
  @IsString() detail: string;
}

/** Every error of the control API (RFC 9457). */
export class ProblemDocument {
  @IsString() type: string;
  @IsString() title: string;
  @IsInt() status: number;
  @MayBeLeftOut() @IsString() detail?: string;
  @MayBeLeftOut() @IsArray() @NestedEach() @Type(() => FieldProblem) errors?: FieldProblem[];
}
