import { DataTypes, type QueryInterface } from 'sequelize';

/** Which clients have which plans. */
export async function up(db: QueryInterface): Promise<void> {
  const text = { type: DataTypes.TEXT, allowNull: false };
  const time = { type: DataTypes.BIGINT, allowNull: true };
  await db.createTable('subscriptions', {
    id: { type: DataTypes.STRING, primaryKey: true, allowNull: false },
    client_id: { type: DataTypes.STRING, allowNull: false, references: { model: 'clients', key: 'id' }, onDelete: 'CASCADE' },
    plan_id: text,
    state: text,
    starts_at: time,
    ends_at: time,
    reason: text,
    asked_at: { ...time, allowNull: false },
    asked_by: text,
    decided_at: time,
    decided_by: { type: DataTypes.TEXT, allowNull: true },
  });
  await db.addIndex('subscriptions', ['client_id'], { name: 'subscriptions_client' });
  await db.addIndex('subscriptions', ['plan_id'], { name: 'subscriptions_plan' });
}
