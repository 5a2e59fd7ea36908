import { DataTypes, type QueryInterface } from 'sequelize';

/** What deviated from contracts, by the hour, kind, caller and outcome. */
export async function up(db: QueryInterface): Promise<void> {
  const text = { type: DataTypes.TEXT, allowNull: false };
  const whole = { type: DataTypes.BIGINT, allowNull: false };
  await db.createTable('violations', {
    hour: { ...whole, primaryKey: true },
    id: { ...text, primaryKey: true },
    outcome: { ...text, primaryKey: true },
    caller: { ...text, primaryKey: true },
    api_id: text,
    operation_id: text,
    part: text,
    code: text,
    name: text,
    at: text,
    rule: text,
    keyword: text,
    wanted: text,
    found: text,
    member: { type: DataTypes.TEXT, allowNull: true },
    count: whole,
    first_at: whole,
    last_at: whole,
    trace_id: text,
  });
  await db.addIndex('violations', ['id']);
}
