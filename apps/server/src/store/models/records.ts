import type { RequestOutcome, StepOutcome } from '@virga/core';
import { Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;

@Table({ tableName: 'traces' })
export class TraceRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.BIGINT) declare at: number;
  @Column(DataType.INTEGER) declare release: number;
  @Column(TEXT) declare method: string;
  @Column(TEXT) declare path: string;
  @Column(TEXT) declare apiId: string | null;
  @Column(TEXT) declare operationId: string | null;
  @Column(TEXT) declare outcome: RequestOutcome;
  @Column(DataType.INTEGER) declare status: number;
  @Column(TEXT) declare step: string;
  @Column(TEXT) declare code: string;
  @Column(TEXT) declare address: string;
  @Column(TEXT) declare providerId: string | null;
  @Column(TEXT) declare subject: string | null;
  @Column(TEXT) declare client: string | null;
  @Column(DataType.INTEGER) declare totalUs: number;
  /** Steps, headers and the rest of the trace, JSON. */
  @Column(TEXT) declare body: string;
}

/** Requests of one minute that ended alike. Missing ids are empty texts, because they are part of the key. */
@Table({ tableName: 'traffic' })
export class TrafficRow extends Model {
  @PrimaryKey @Column(DataType.BIGINT) declare minute: number;
  @PrimaryKey @Column(DataType.STRING) declare apiId: string;
  @PrimaryKey @Column(DataType.STRING) declare operationId: string;
  @PrimaryKey @Column(DataType.STRING) declare code: string;
  @PrimaryKey @Column(DataType.INTEGER) declare status: number;
  @PrimaryKey @Column(DataType.STRING) declare outcome: RequestOutcome;
  @Column(TEXT) declare step: string;
  @Column(DataType.INTEGER) declare count: number;
  @Column(DataType.BIGINT) declare totalUs: number;
}

/** What single steps of the requests of one minute found, and what became of it. */
@Table({ tableName: 'step_traffic' })
export class StepTrafficRow extends Model {
  @PrimaryKey @Column(DataType.BIGINT) declare minute: number;
  @PrimaryKey @Column(DataType.STRING) declare apiId: string;
  @PrimaryKey @Column(DataType.STRING) declare operationId: string;
  @PrimaryKey @Column(DataType.STRING) declare step: string;
  @PrimaryKey @Column(DataType.STRING) declare code: string;
  @PrimaryKey @Column(DataType.STRING) declare outcome: StepOutcome;
  @Column(DataType.INTEGER) declare count: number;
}

@Table({ tableName: 'batches' })
export class BatchRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare node: string;
  @Column(TEXT) declare batchId: string;
}

@Table({ tableName: 'unsent' })
export class UnsentRow extends Model {
  @PrimaryKey @Column(DataType.BIGINT) declare minute: number;
  @Column(DataType.INTEGER) declare passed: number;
  @Column(DataType.INTEGER) declare refused: number;
  /** Requests that were counted without their steps. */
  @Column(DataType.INTEGER) declare steps: number;
}
