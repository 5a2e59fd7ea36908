import { DataTypes, type QueryInterface } from 'sequelize';

const id = { type: DataTypes.STRING, primaryKey: true, allowNull: false };
const text = { type: DataTypes.TEXT, allowNull: false };
const nullableText = { type: DataTypes.TEXT, allowNull: true };
const time = { type: DataTypes.BIGINT, allowNull: false };
const nullableTime = { type: DataTypes.BIGINT, allowNull: true };

/** Clients with their credentials. */
export async function up(db: QueryInterface): Promise<void> {
  await db.createTable('clients', {
    id,
    name: text,
    owner: text,
    contact: text,
    description: text,
    enabled: { type: DataTypes.BOOLEAN, allowNull: false },
    roles: text,
    made_at: time,
  });
  await db.addIndex('clients', ['name'], { name: 'clients_name' });
  await db.createTable('client_credentials', {
    id,
    client_id: { type: DataTypes.STRING, allowNull: false, references: { model: 'clients', key: 'id' }, onDelete: 'CASCADE' },
    kind: text,
    name: text,
    lookup: text,
    digest: nullableText,
    hint: text,
    superseded: { type: DataTypes.BOOLEAN, allowNull: false },
    expires_at: nullableTime,
    revoked_at: nullableTime,
    made_at: time,
    made_by: text,
  });
  await db.addIndex('client_credentials', ['kind', 'lookup'], { name: 'client_credentials_lookup' });
  await db.addIndex('client_credentials', ['client_id'], { name: 'client_credentials_client' });
}
