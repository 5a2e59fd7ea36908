import { DataTypes, type QueryInterface } from 'sequelize';

/** What was run before a release was published is kept with it. */
export async function up(db: QueryInterface): Promise<void> {
  await db.addColumn('releases', 'checks', { type: DataTypes.TEXT, allowNull: true });
}
