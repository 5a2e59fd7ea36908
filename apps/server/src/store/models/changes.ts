import { Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;

/** One edit of the draft or of a client. Rows are chained: each has the hash of the one before it in its own. */
@Table({ tableName: 'draft_changes' })
export class DraftChangeRow extends Model {
  @PrimaryKey @Column(DataType.INTEGER) declare number: number;
  @Column(DataType.BIGINT) declare at: number;
  @Column(TEXT) declare by: string;
  /** What was done, in words, one line for each thing. */
  @Column(TEXT) declare words: string;
  /** The client that it changed; null for an edit of the draft. */
  @Column(TEXT) declare clientId: string | null;
  /** Hashes of the draft, or of the client, before and after. */
  @Column(TEXT) declare before: string;
  @Column(TEXT) declare after: string;
  /** What changed, JSON. */
  @Column(TEXT) declare changes: string;
  /** The edit that this one takes back; null for any other. */
  @Column(DataType.INTEGER) declare takesBack: number | null;
  @Column(TEXT) declare hash: string;
}
