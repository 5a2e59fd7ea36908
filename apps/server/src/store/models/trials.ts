import { Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;

@Table({ tableName: 'saved_trials' })
export class SavedTrialRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(TEXT) declare name: string;
  @Column(TEXT) declare expected: 'refused' | 'passed';
  /** JSON of the request and of what is known of who sent it. */
  @Column(TEXT) declare call: string;
  @Column(DataType.BIGINT) declare savedAt: number;
  @Column(TEXT) declare savedBy: string;
}
