import type { QueryInterface } from 'sequelize';

/** Traces are found by their client. */
export async function up(db: QueryInterface): Promise<void> {
  await db.addIndex('traces', ['client', 'at'], { name: 'traces_client_at' });
}
