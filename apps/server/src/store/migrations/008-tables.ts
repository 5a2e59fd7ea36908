import { DataTypes, type QueryInterface } from 'sequelize';

const text = { type: DataTypes.TEXT, allowNull: false };

/** Tables that conditions look at. */
export async function up(db: QueryInterface): Promise<void> {
  await db.createTable('fact_tables', {
    name: { type: DataTypes.STRING, primaryKey: true, allowNull: false },
    description: text,
    key_column: text,
    columns: text,
    rows: text,
    row_count: { type: DataTypes.INTEGER, allowNull: false },
    changed_at: { type: DataTypes.BIGINT, allowNull: false },
    changed_by: text,
  });
}
