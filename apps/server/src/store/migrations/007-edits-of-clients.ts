import { DataTypes, type QueryInterface } from 'sequelize';

/** Edits of clients stand in the same log: what an edit is about, beside the draft. */
export async function up(db: QueryInterface): Promise<void> {
  await db.addColumn('draft_changes', 'client_id', { type: DataTypes.TEXT, allowNull: true });
}
