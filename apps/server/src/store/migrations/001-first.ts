import { DataTypes, type QueryInterface } from 'sequelize';

const id = { type: DataTypes.STRING, primaryKey: true, allowNull: false };
const text = { type: DataTypes.TEXT, allowNull: false };
const nullableText = { type: DataTypes.TEXT, allowNull: true };
const whole = { type: DataTypes.INTEGER, allowNull: false };
const nullableWhole = { type: DataTypes.INTEGER, allowNull: true };
const time = { type: DataTypes.BIGINT, allowNull: false };

/** The draft, releases, contracts, keys seen, personas, accounts, settings. */
export async function up(db: QueryInterface): Promise<void> {
  await db.createTable('providers', { id, position: whole, body: text });
  await db.createTable('contracts', { hash: id, format: text, text, created_at: time });
  await db.createTable('apis', { id, position: whole, body: text, contract_hash: { ...nullableText, references: { model: 'contracts', key: 'hash' } } });
  await db.createTable('operations', {
    api_id: { ...id, references: { model: 'apis', key: 'id' }, onDelete: 'CASCADE' },
    id,
    position: whole,
    body: text,
  });
  await db.createTable('releases', {
    number: { ...whole, primaryKey: true },
    hash: text,
    document: text,
    note: text,
    published_at: time,
    published_by: text,
    rolled_back_to: nullableWhole,
    api_count: whole,
    operation_count: whole,
    provider_count: whole,
  });
  await db.createTable('provider_keys', { issuer: id, thumbprint: id, kid: nullableText, body: text, first_seen_at: time, last_seen_at: time });
  await db.createTable('personas', { id, position: whole, body: text, secret: nullableText });
  await db.createTable('operators', { name: id, password: text });
  await db.createTable('sessions', {
    id_hash: id,
    operator: { ...text, references: { model: 'operators', key: 'name' }, onDelete: 'CASCADE' },
    csrf_token: text,
    expires_at: time,
  });
  await db.createTable('settings', { name: id, value: text });
}
