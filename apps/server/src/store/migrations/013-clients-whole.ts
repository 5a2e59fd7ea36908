import { DataTypes, type QueryInterface } from 'sequelize';

/** What is said of clients, and of their credentials: last use, what takes their place, where they leaked. */
export async function up(db: QueryInterface): Promise<void> {
  const text = { type: DataTypes.TEXT, allowNull: true };
  const time = { type: DataTypes.BIGINT, allowNull: true };
  await db.addColumn('clients', 'metadata', { type: DataTypes.TEXT, allowNull: false, defaultValue: '{}' });
  await db.addColumn('client_credentials', 'last_used_at', time);
  await db.addColumn('client_credentials', 'last_used_from', text);
  await db.addColumn('client_credentials', 'replaced_by', text);
  await db.addColumn('client_credentials', 'leaked_at', time);
  await db.addColumn('client_credentials', 'leaked_by', text);
}
