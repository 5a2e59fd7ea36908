import { TABLE_BOUNDS } from '@virga/core';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsInt, IsString, MaxLength } from 'class-validator';
import { Nested, NestedEach } from '../nested.js';
import { DirectoryEffect } from './clients.js';

/** A table as it is set, whole. */
export class TableInput {
  @IsString() @MaxLength(500) description: string;
  /** The column by whose values rows are found. */
  @IsString() @MaxLength(100) key: string;
  @IsArray() @ArrayMaxSize(TABLE_BOUNDS.columns) @IsString({ each: true }) @MaxLength(100, { each: true }) columns: string[];
  /** Texts in the order of the columns. */
  @ArrayMaxSize(TABLE_BOUNDS.rows) @IsArray({ each: true }) rows: string[][];
}

export class TableSummary {
  @IsString() name: string;
  @IsString() description: string;
  @IsString() key: string;
  @IsArray() @IsString({ each: true }) columns: string[];
  @IsInt() rowCount: number;
  /** Milliseconds since the epoch. */
  @IsInt() changedAt: number;
  @IsString() changedBy: string;
  /** Conditions of the draft that look at it, by their names. */
  @IsArray() @IsString({ each: true }) askedBy: string[];
}

export class TableList {
  @IsArray() @NestedEach() @Type(() => TableSummary) items: TableSummary[];
}

export class TableView extends TableSummary {
  /** Of all that it holds; what `If-Match` takes. */
  @IsString() revision: string;
  @IsArray({ each: true }) rows: string[][];
}

/** A table as it is now, and how long until every node had it. */
export class TableChanged {
  @Nested() @Type(() => TableView) table: TableView;
  @Nested() @Type(() => DirectoryEffect) effect: DirectoryEffect;
}
