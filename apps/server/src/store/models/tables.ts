import { Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

/** A table that conditions look at. */
@Table({ tableName: 'fact_tables' })
export class TableRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare name: string;
  @Column(DataType.TEXT) declare description: string;
  @Column(DataType.TEXT) declare keyColumn: string;
  /** JSON. */
  @Column(DataType.TEXT) declare columns: string;
  /** JSON. */
  @Column(DataType.TEXT) declare rows: string;
  @Column(DataType.INTEGER) declare rowCount: number;
  @Column(DataType.BIGINT) declare changedAt: number;
  @Column(DataType.TEXT) declare changedBy: string;
}
