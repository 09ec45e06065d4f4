import type { NotificationKind } from '@gather-lane/core';
import { Column, Entity, Index, JoinColumn, OneToOne, PrimaryColumn } from 'typeorm';

/** Acts of one kind on one target, of which somebody is told; gathered until they are seen. */
@Entity('notifications')
@Index('notifications_open', ['userId', 'kind', 'targetId'], { unique: true, where: 'NOT seen' })
@Index('notifications_listed', ['userId', 'lastAt', 'id'])
@Index('notifications_target', ['postId', 'targetId'])
export class Notification {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'uuid' })
  userId!: string;

  @Column({ type: 'text' })
  kind!: NotificationKind;

  @Column({ type: 'uuid' })
  targetId!: string;

  /** The post that it is on; null for a follow. */
  @Column({ type: 'uuid', nullable: true })
  postId!: string | null;

  @Column({ type: 'boolean', default: false })
  seen!: boolean;

  /** The transaction of its first act; an `xid8`, which the ORM does not know: it reads as text. */
  @Column({ type: 'text', default: () => 'pg_current_xact_id()' })
  openedXid!: string;

  /** The transaction of its latest act. */
  @Column({ type: 'text', default: () => 'pg_current_xact_id()' })
  lastXid!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  lastAt!: Date;
}

/** That somebody was told of somebody's act, once and for good. */
@Entity('notification_acts')
@Index('notification_acts_shown', ['notificationId', 'at', 'actorId'], { where: 'notification_id IS NOT NULL' })
@Index('notification_acts_actor', ['actorId', 'userId'])
@Index('notification_acts_ended', ['userId'], { where: 'notification_id IS NULL' })
export class NotificationAct {
  /** What was reacted to, what says something, or whom one follows. */
  @PrimaryColumn({ type: 'uuid' })
  thingId!: string;

  @PrimaryColumn({ type: 'uuid' })
  actorId!: string;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  /** The notification in which it shows; null where it shows no more, and is remembered. */
  @Column({ type: 'uuid', nullable: true })
  notificationId!: string | null;

  @Column({ type: 'text', default: () => 'pg_current_xact_id()' })
  xid!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  at!: Date;
}

/** Kinds that somebody does not want to be told of. */
@Entity('notification_choices')
export class NotificationChoice {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @OneToOne('User', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: object;

  @Column({ type: 'text', array: true })
  switchedOff!: NotificationKind[];
}
