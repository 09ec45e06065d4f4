import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn } from 'typeorm';

/** A call with an Idempotency-Key: what it made, and what was answered. */
@Entity('repeatable_calls')
export class RepeatableCall {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @ManyToOne('User', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: object;

  /** Method and path. */
  @PrimaryColumn({ type: 'text' })
  route!: string;

  @PrimaryColumn({ type: 'text' })
  key!: string;

  /** SHA-256 of what was sent. */
  @Column({ type: 'bytea' })
  content!: Buffer;

  @Column({ type: 'uuid' })
  madeId!: string;

  /** What was answered; null while it is not known yet. */
  @Column({ type: 'jsonb', nullable: true })
  reply!: Record<string, unknown> | null;

  @Index('repeatable_calls_age')
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
