import { DataTypes, type QueryInterface } from 'sequelize';

const id = { type: DataTypes.STRING, primaryKey: true, allowNull: false };
const text = { type: DataTypes.TEXT, allowNull: false };
const whole = { type: DataTypes.INTEGER, allowNull: false };
const time = { type: DataTypes.BIGINT, allowNull: false };

/** The outcome is part of what tells counters apart, and every step has counters of its own. */
export async function up(db: QueryInterface): Promise<void> {
  const minute = { ...time, primaryKey: true };
  await db.createTable('traffic_by_outcome', {
    minute,
    api_id: id,
    operation_id: id,
    code: id,
    status: { ...whole, primaryKey: true },
    outcome: id,
    step: text,
    count: whole,
    total_us: time,
  });
  await db.sequelize.query(
    'INSERT INTO traffic_by_outcome (minute, api_id, operation_id, code, status, outcome, step, count, total_us) SELECT minute, api_id, operation_id, code, status, outcome, step, count, total_us FROM traffic',
  );
  await db.dropTable('traffic');
  await db.renameTable('traffic_by_outcome', 'traffic');
  await db.createTable('step_traffic', { minute, api_id: id, operation_id: id, step: id, code: id, outcome: id, count: whole });
  await db.addColumn('unsent', 'steps', { ...whole, defaultValue: 0 });
}
