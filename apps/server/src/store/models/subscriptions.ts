import type { SubscriptionState } from '@virga/core';
import { Column, DataType, Model, PrimaryKey, Table } from 'sequelize-typescript';

const TEXT = DataType.TEXT;
const TIME = DataType.BIGINT;

/** That a client has a plan, or asked for one. */
@Table({ tableName: 'subscriptions' })
export class SubscriptionRow extends Model {
  @PrimaryKey @Column(DataType.STRING) declare id: string;
  @Column(DataType.STRING) declare clientId: string;
  @Column(TEXT) declare planId: string;
  @Column(TEXT) declare state: SubscriptionState;
  @Column(TIME) declare startsAt: number | null;
  @Column(TIME) declare endsAt: number | null;
  @Column(TEXT) declare reason: string;
  @Column(TIME) declare askedAt: number;
  @Column(TEXT) declare askedBy: string;
  @Column(TIME) declare decidedAt: number | null;
  @Column(TEXT) declare decidedBy: string | null;
  /** What was said to whoever asked. */
  @Column(TEXT) declare answer: string;
  /** Whether it was refused while it waited. */
  @Column(DataType.BOOLEAN) declare declined: boolean;
}
