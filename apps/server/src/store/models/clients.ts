import type { CredentialKind } from '@virga/core';
import { Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;
const TIME = DataType.BIGINT;

@Table({ tableName: 'clients' })
export class ClientRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(TEXT) declare name: string;
  @Column(TEXT) declare owner: string;
  @Column(TEXT) declare contact: string;
  @Column(TEXT) declare description: string;
  @Column(DataType.BOOLEAN) declare enabled: boolean;
  /** JSON. */
  @Column(TEXT) declare roles: string;
  /** JSON. */
  @Column(TEXT) declare metadata: string;
  @Column(TIME) declare madeAt: number;
  /** The team of the portal that it belongs to; null for none. */
  @Column(DataType.STRING) declare teamId: string | null;
}

/** A credential of a client: never the key or the secret itself, only its SHA-256. */
@Table({ tableName: 'client_credentials' })
export class CredentialRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.STRING) declare clientId: string;
  @Column(TEXT) declare kind: CredentialKind;
  @Column(TEXT) declare name: string;
  @Column(TEXT) declare lookup: string;
  @Column(TEXT) declare digest: string | null;
  @Column(TEXT) declare hint: string;
  /** Whether another one that is found by the same thing took its place: it is kept for the record only. */
  @Column(DataType.BOOLEAN) declare superseded: boolean;
  @Column(TIME) declare expiresAt: number | null;
  @Column(TIME) declare revokedAt: number | null;
  @Column(TIME) declare madeAt: number;
  @Column(TEXT) declare madeBy: string;
  /** When and from where it was last used, as nodes told; null while it never was. */
  @Column(TIME) declare lastUsedAt: number | null;
  @Column(TEXT) declare lastUsedFrom: string | null;
  /** The credential that takes its place; null for none. */
  @Column(TEXT) declare replacedBy: string | null;
  /** When it was first found where everybody can read it, and by whom; null while it was not. */
  @Column(TIME) declare leakedAt: number | null;
  @Column(TEXT) declare leakedBy: string | null;
}
