import { DataTypes, type QueryInterface } from 'sequelize';

/** What nodes learned from traffic, sensitive data that they found, and what somebody decided about what was learned. */
export async function up(db: QueryInterface): Promise<void> {
  const text = { type: DataTypes.TEXT, allowNull: false };
  const whole = { type: DataTypes.BIGINT, allowNull: false };
  await db.createTable('seen_operations', {
    api_id: { ...text, primaryKey: true },
    kind: { ...text, primaryKey: true },
    key: { ...text, primaryKey: true },
    body: text,
    requests: whole,
    last_at: whole,
  });
  await db.createTable('sensitive_findings', {
    api_id: { ...text, primaryKey: true },
    key: { ...text, primaryKey: true },
    body: text,
    messages: whole,
    last_at: whole,
  });
  await db.createTable('dismissed_operations', {
    api_id: { ...text, primaryKey: true },
    key: { ...text, primaryKey: true },
    at: whole,
    by: text,
  });
  await db.createTable('sighting_counts', {
    hour: { ...whole, primaryKey: true },
    taken: whole,
    dropped: whole,
  });
}
