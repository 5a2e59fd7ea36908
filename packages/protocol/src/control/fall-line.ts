import type { CheckMode, StepId } from '@virga/core';
import { Type } from 'class-transformer';
import { IsArray, IsIn, IsInt, IsOptional, IsString } from 'class-validator';
import { OperationView } from './apis.js';
import { Nested, NestedEach } from '../nested.js';

/** One check of an operation: what it asks, its mode, where it was set, and what came of it. */
export class OperationCheckView {
  @IsString() step: StepId;
  @IsString() name: string;
  /** What it asks, in words. */
  @IsString() asks: string;
  /** Null for checks that always refuse. */
  @IsOptional() @IsIn(['observe', 'enforce']) mode: CheckMode | null;
  @IsIn(['gateway', 'api', 'operation']) modeSetAt: 'gateway' | 'api' | 'operation';
  @IsIn(['gateway', 'api', 'operation']) setAt: 'gateway' | 'api' | 'operation';
  /** Where it is edited: the part of the API or operation; empty where it cannot be. */
  @IsString() part: string;
  /** Of the last 24 hours. */
  @IsInt() passed: number;
  @IsInt() refused: number;
  @IsInt() wouldRefuse: number;
}

/** An operation with its whole fall line. */
export class OperationPage {
  @Nested() @Type(() => OperationView) operation: OperationView;
  @IsString() apiId: string;
  @IsString() apiName: string;
  @IsString() basePath: string;
  @IsArray() @NestedEach() @Type(() => OperationCheckView) checks: OperationCheckView[];
}
