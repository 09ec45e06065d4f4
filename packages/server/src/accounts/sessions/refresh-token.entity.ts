import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { Session } from './session.entity.js';

/** A refresh token of a session. */
@Entity('refresh_tokens')
@Index('refresh_tokens_session', ['sessionId', 'parentHash'])
export class RefreshToken {
  /** SHA-256 of its secret. */
  @PrimaryColumn({ type: 'bytea' })
  hash!: Buffer;

  @Column({ type: 'uuid' })
  sessionId!: string;

  @ManyToOne(() => Session, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'session_id' })
  session?: Relation<Session>;

  /** The token for which this one was handed out; null for the first of a session. */
  @Column({ type: 'bytea', nullable: true })
  parentHash!: Buffer | null;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  madeAt!: Date;

  /** When it was used first. */
  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  usedAt!: Date | null;
}
