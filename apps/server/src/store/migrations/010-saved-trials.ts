import { DataTypes, type QueryInterface } from 'sequelize';

/** Requests that are tried again before every release. */
export async function up(db: QueryInterface): Promise<void> {
  await db.createTable('saved_trials', {
    id: { type: DataTypes.STRING, primaryKey: true },
    name: { type: DataTypes.TEXT, allowNull: false },
    expected: { type: DataTypes.TEXT, allowNull: false },
    call: { type: DataTypes.TEXT, allowNull: false },
    saved_at: { type: DataTypes.BIGINT, allowNull: false },
    saved_by: { type: DataTypes.TEXT, allowNull: false },
  });
}
