import { BelongsTo, Column, DataType, ForeignKey, HasMany, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;
const TIME = DataType.BIGINT;

@Table({ tableName: 'providers' })
export class ProviderRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.INTEGER) declare position: number;
  @Column(TEXT) declare body: string;
}

@Table({ tableName: 'contracts' })
export class ContractRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare hash: string;
  @Column(TEXT) declare format: 'json' | 'yaml';
  @Column(TEXT) declare text: string;
  @Column(TIME) declare createdAt: number;
}

@Table({ tableName: 'apis' })
export class ApiRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.INTEGER) declare position: number;
  @Column(TEXT) declare body: string;
  @Column(TEXT) declare contractHash: string | null;
  @HasMany(() => OperationRow, 'apiId') declare operations: OperationRow[];
}

@Table({ tableName: 'operations' })
export class OperationRow extends Model {
  @PrimaryKey @ForeignKey(() => ApiRow) @Column(DataType.STRING) declare apiId: string;
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.INTEGER) declare position: number;
  @Column(TEXT) declare body: string;
  @BelongsTo(() => ApiRow, 'apiId') declare api: ApiRow;
}

@Table({ tableName: 'releases' })
export class ReleaseRow extends Model {
  @PrimaryKey @Column(DataType.INTEGER) declare number: number;
  @Column(TEXT) declare hash: string;
  @Column(TEXT) declare document: string;
  @Column(TEXT) declare note: string;
  @Column(TIME) declare publishedAt: number;
  @Column(TEXT) declare publishedBy: string;
  @Column(DataType.INTEGER) declare rolledBackTo: number | null;
  @Column(DataType.INTEGER) declare apiCount: number;
  @Column(DataType.INTEGER) declare operationCount: number;
  @Column(DataType.INTEGER) declare providerCount: number;
  /** JSON of what was run before it was published; null for releases of before that. */
  @Column(TEXT) declare checks: string | null;
}

@Table({ tableName: 'provider_keys' })
export class ProviderKeyRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare issuer: string;
  @PrimaryKey @Column(DataType.STRING) declare thumbprint: string;
  @Column(TEXT) declare kid: string | null;
  @Column(TEXT) declare body: string;
  @Column(TIME) declare firstSeenAt: number;
  @Column(TIME) declare lastSeenAt: number;
}

@Table({ tableName: 'personas' })
export class PersonaRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.INTEGER) declare position: number;
  @Column(TEXT) declare body: string;
  @Column(TEXT) declare secret: string | null;
}

@Table({ tableName: 'operators' })
export class OperatorRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare name: string;
  @Column(TEXT) declare password: string;
}

@Table({ tableName: 'sessions' })
export class SessionRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare idHash: string;
  @Column(TEXT) declare operator: string;
  @Column(TEXT) declare csrfToken: string;
  @Column(TIME) declare expiresAt: number;
}

@Table({ tableName: 'settings' })
export class SettingRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare name: string;
  @Column(TEXT) declare value: string;
}
