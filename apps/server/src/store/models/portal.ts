import type { AccountState, TeamRole } from '@virga/protocol';
import { AutoIncrement, Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;
const TIME = DataType.BIGINT;

@Table({ tableName: 'portal_teams' })
export class TeamRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(TEXT) declare name: string;
  @Column(TIME) declare madeAt: number;
  @Column(TEXT) declare madeBy: string;
}

/** A person of the portal: with a password here, or known by a provider. */
@Table({ tableName: 'portal_accounts' })
export class AccountRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  /** As it is compared; null for an account of a provider. */
  @Column(DataType.STRING) declare signInName: string | null;
  @Column(TEXT) declare name: string;
  @Column(TEXT) declare shownName: string;
  @Column(TEXT) declare password: string | null;
  @Column(TEXT) declare issuer: string | null;
  @Column(TEXT) declare subject: string | null;
  @Column(TEXT) declare state: AccountState;
  @Column(TEXT) declare how: 'invited' | 'registered' | 'provider';
  @Column(TEXT) declare reason: string;
  @Column(TIME) declare madeAt: number;
  @Column(TIME) declare decidedAt: number | null;
  @Column(TEXT) declare decidedBy: string | null;
  @Column(TIME) declare lastSignInAt: number | null;
}

@Table({ tableName: 'portal_members' })
export class MemberRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare teamId: string;
  @PrimaryKey @Column(DataType.STRING) declare accountId: string;
  @Column(TEXT) declare role: TeamRole;
  @Column(TIME) declare since: number;
}

/** A link that is good once: only its SHA-256 is kept. */
@Table({ tableName: 'portal_invitations' })
export class InvitationRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.STRING) declare tokenHash: string;
  @Column(DataType.STRING) declare teamId: string | null;
  @Column(DataType.STRING) declare accountId: string | null;
  @Column(TEXT) declare role: TeamRole;
  @Column(TEXT) declare note: string;
  @Column(TEXT) declare madeBy: string;
  @Column(TIME) declare madeAt: number;
  @Column(TIME) declare expiresAt: number;
  @Column(TIME) declare usedAt: number | null;
  @Column(TEXT) declare usedBy: string | null;
}

@Table({ tableName: 'portal_sessions' })
export class PortalSessionRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare idHash: string;
  @Column(DataType.STRING) declare accountId: string | null;
  @Column(DataType.STRING) declare teamId: string | null;
  @Column(DataType.BOOLEAN) declare looks: boolean;
  @Column(TEXT) declare csrfToken: string;
  @Column(TIME) declare expiresAt: number;
}

@Table({ tableName: 'portal_pages' })
export class PageRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare slug: string;
  @Column(TEXT) declare title: string;
  @Column(TEXT) declare text: string;
  @Column(TEXT) declare seen: 'everybody' | 'signed-in';
  @Column(DataType.INTEGER) declare position: number;
  @Column(TIME) declare changedAt: number;
  @Column(TEXT) declare changedBy: string;
}

@Table({ tableName: 'portal_notices' })
export class NoticeRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(TEXT) declare text: string;
  @Column(TEXT) declare tone: 'news' | 'warning';
  @Column(TIME) declare fromAt: number | null;
  @Column(TIME) declare untilAt: number | null;
  @Column(TIME) declare madeAt: number;
}

@Table({ tableName: 'portal_log' })
export class PortalLogRow extends Model {
  @PrimaryKey @AutoIncrement @Column(DataType.INTEGER) declare number: number;
  @Column(TIME) declare at: number;
  @Column(TEXT) declare by: string;
  @Column(TEXT) declare side: 'operator' | 'consumer';
  @Column(DataType.STRING) declare teamId: string | null;
  @Column(DataType.BOOLEAN) declare decides: boolean;
  @Column(TEXT) declare words: string;
}

/** A client that was registered at a provider (RFC 7591), and how it is changed there (RFC 7592). */
@Table({ tableName: 'portal_registrations' })
export class RegistrationRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare credentialId: string;
  @Column(TEXT) declare providerId: string;
  @Column(TEXT) declare uri: string;
  @Column(TEXT) declare sealed: string;
  /** JSON. */
  @Column(TEXT) declare redirectUris: string;
}
