import { DataTypes, type QueryInterface } from 'sequelize';

/** The portal: teams, accounts, invitations, sessions, pages, notices and its log; which team a client belongs to. */
export async function up(db: QueryInterface): Promise<void> {
  const id = { type: DataTypes.STRING, primaryKey: true, allowNull: false };
  const text = { type: DataTypes.TEXT, allowNull: false };
  const maybe = { type: DataTypes.TEXT, allowNull: true };
  const time = { type: DataTypes.BIGINT, allowNull: false };
  const some = { type: DataTypes.BIGINT, allowNull: true };
  const flag = { type: DataTypes.BOOLEAN, allowNull: false, defaultValue: false };
  const of = (model: string, more: object = {}) => ({
    type: DataTypes.STRING,
    allowNull: false,
    references: { model, key: 'id' },
    onDelete: 'CASCADE',
    ...more,
  });
  await db.createTable('portal_teams', { id, name: text, made_at: time, made_by: text });
  await db.createTable('portal_accounts', {
    id,
    /** As it is compared: lower case, NFKC. */
    sign_in_name: { type: DataTypes.STRING, allowNull: true, unique: true },
    name: text,
    shown_name: text,
    password: maybe,
    issuer: maybe,
    subject: maybe,
    state: text,
    how: text,
    reason: text,
    made_at: time,
    decided_at: some,
    decided_by: maybe,
    last_sign_in_at: some,
  });
  await db.addIndex('portal_accounts', ['issuer', 'subject'], { name: 'portal_accounts_subject', unique: true });
  await db.createTable('portal_members', {
    team_id: of('portal_teams', { primaryKey: true }),
    account_id: of('portal_accounts', { primaryKey: true }),
    role: text,
    since: time,
  });
  await db.addIndex('portal_members', ['account_id'], { name: 'portal_members_account' });
  await db.createTable('portal_invitations', {
    id,
    token_hash: { type: DataTypes.STRING, allowNull: false, unique: true },
    team_id: of('portal_teams', { allowNull: true }),
    /** Whose password it is for; null for one to a team. */
    account_id: of('portal_accounts', { allowNull: true }),
    role: text,
    note: text,
    made_by: text,
    made_at: time,
    expires_at: time,
    used_at: some,
    used_by: maybe,
  });
  await db.createTable('portal_sessions', {
    id_hash: id,
    account_id: of('portal_accounts', { allowNull: true }),
    /** As which team an operator looks; null for nobody's, and for a session of an account. */
    team_id: of('portal_teams', { allowNull: true }),
    looks: flag,
    csrf_token: text,
    expires_at: time,
  });
  await db.createTable('portal_pages', {
    slug: { type: DataTypes.STRING, primaryKey: true, allowNull: false },
    title: text,
    text,
    seen: text,
    position: { type: DataTypes.INTEGER, allowNull: false },
    changed_at: time,
    changed_by: text,
  });
  await db.createTable('portal_notices', { id, text, tone: text, from_at: some, until_at: some, made_at: time });
  await db.createTable('portal_log', {
    number: { type: DataTypes.INTEGER, primaryKey: true, autoIncrement: true },
    at: time,
    by: text,
    side: text,
    team_id: { type: DataTypes.STRING, allowNull: true },
    decides: flag,
    words: text,
  });
  await db.createTable('portal_registrations', {
    credential_id: of('client_credentials', { primaryKey: true }),
    provider_id: text,
    uri: text,
    /** The registration access token, encrypted. */
    sealed: text,
    redirect_uris: text,
  });
  await db.addColumn('clients', 'team_id', { type: DataTypes.STRING, allowNull: true });
  await db.addIndex('clients', ['team_id'], { name: 'clients_team' });
  await db.addColumn('subscriptions', 'answer', { ...text, defaultValue: '' });
  await db.addColumn('subscriptions', 'declined', flag);
}
