import { Type } from 'class-transformer';
import { IsArray, IsInt, IsOptional, IsString, ValidateNested } from 'class-validator';

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
  @IsOptional() @IsString() detail?: string;
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => FieldProblem) errors?: FieldProblem[];
}
