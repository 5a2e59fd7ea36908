import { IsInt, IsOptional, Max, Min } from 'class-validator';

/** How long traces are kept: whichever bound is met first. Members left out of a change stay as they are. */
export class RetentionDto {
  @IsOptional() @IsInt() @Min(100) @Max(5_000_000) traceCount?: number;
  @IsOptional() @IsInt() @Min(1) @Max(8760) traceHours?: number;
}
