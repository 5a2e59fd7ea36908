import { DataTypes, type QueryInterface } from 'sequelize';

const id = { type: DataTypes.STRING, primaryKey: true, allowNull: false };
const text = { type: DataTypes.TEXT, allowNull: false };
const time = { type: DataTypes.BIGINT, allowNull: false };

/** Secrets by name, revocations, tokens that were kept by name. */
export async function up(db: QueryInterface): Promise<void> {
  await db.createTable('secrets', { name: id, sealed: text, updated_at: time });
  await db.createTable('revocations', {
    id,
    kind: text,
    provider_id: text,
    value: text,
    issued_before: { type: DataTypes.BIGINT, allowNull: true },
    reason: text,
    made_at: time,
  });
  await db.createTable('saved_tokens', { id, name: text, text, saved_at: time });
}
