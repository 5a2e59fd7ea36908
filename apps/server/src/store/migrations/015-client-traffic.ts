import { DataTypes, type QueryInterface } from 'sequelize';

/** What each client used, by hour. */
export async function up(db: QueryInterface): Promise<void> {
  const text = { type: DataTypes.STRING, allowNull: false };
  const key = { ...text, primaryKey: true };
  await db.createTable('client_traffic', {
    client_id: key,
    hour: { type: DataTypes.BIGINT, allowNull: false, primaryKey: true },
    api_id: key,
    code: key,
    outcome: key,
    step: text,
    count: { type: DataTypes.BIGINT, allowNull: false },
  });
  await db.addIndex('client_traffic', ['hour'], { name: 'client_traffic_hour' });
}
