import { DataTypes, type QueryInterface } from 'sequelize';

const id = { type: DataTypes.STRING, primaryKey: true, allowNull: false };
const text = { type: DataTypes.TEXT, allowNull: false };
const nullableText = { type: DataTypes.TEXT, allowNull: true };
const whole = { type: DataTypes.INTEGER, allowNull: false };
const time = { type: DataTypes.BIGINT, allowNull: false };

/** Traces, exact traffic counters, and the last batch taken from each node. */
export async function up(db: QueryInterface): Promise<void> {
  await db.createTable('traces', {
    id,
    at: time,
    release: whole,
    method: text,
    path: text,
    api_id: nullableText,
    operation_id: nullableText,
    outcome: text,
    status: whole,
    step: text,
    code: text,
    address: text,
    provider_id: nullableText,
    subject: nullableText,
    client: nullableText,
    total_us: whole,
    body: text,
  });
  await db.addIndex('traces', ['at', 'id'], { name: 'traces_at' });
  await db.addIndex('traces', ['outcome', 'at'], { name: 'traces_outcome_at' });
  await db.addIndex('traces', ['api_id', 'operation_id', 'at'], { name: 'traces_operation_at' });
  await db.addIndex('traces', ['code', 'at'], { name: 'traces_code_at' });
  await db.createTable('traffic', {
    minute: { ...time, primaryKey: true },
    api_id: id,
    operation_id: id,
    code: id,
    status: { ...whole, primaryKey: true },
    step: text,
    outcome: text,
    count: whole,
    total_us: time,
  });
  await db.createTable('batches', { node: id, batch_id: text });
  await db.createTable('unsent', { minute: { ...time, primaryKey: true }, passed: whole, refused: whole });
}
