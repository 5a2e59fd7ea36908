import { Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;
const TIME = DataType.BIGINT;

@Table({ tableName: 'secrets' })
export class SecretRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare name: string;
  @Column(TEXT) declare sealed: string;
  @Column(TIME) declare updatedAt: number;
}

@Table({ tableName: 'revocations' })
export class RevocationRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(TEXT) declare kind: 'jti' | 'subject' | 'client';
  @Column(TEXT) declare providerId: string;
  @Column(TEXT) declare value: string;
  @Column(TIME) declare issuedBefore: number | null;
  @Column(TEXT) declare reason: string;
  @Column(TIME) declare madeAt: number;
}

@Table({ tableName: 'saved_tokens' })
export class SavedTokenRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(TEXT) declare name: string;
  @Column(TEXT) declare text: string;
  @Column(TIME) declare savedAt: number;
}
