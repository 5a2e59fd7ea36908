import { DataTypes, type QueryInterface } from 'sequelize';

const text = { type: DataTypes.TEXT, allowNull: false };

/** The log of edits of the draft. */
export async function up(db: QueryInterface): Promise<void> {
  await db.createTable('draft_changes', {
    number: { type: DataTypes.INTEGER, primaryKey: true, allowNull: false },
    at: { type: DataTypes.BIGINT, allowNull: false },
    by: text,
    words: text,
    before: text,
    after: text,
    changes: text,
    takes_back: { type: DataTypes.INTEGER, allowNull: true },
    hash: text,
  });
}
