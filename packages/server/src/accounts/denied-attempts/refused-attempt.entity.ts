import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../users/user.entity.js';

/** Calls of one user on one thing of somebody else's within an hour, all refused. */
@Entity('refused_attempts')
export class RefusedAttempt {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  /** Method and pattern, as `DELETE /v1/posts/:post`. */
  @PrimaryColumn({ type: 'text' })
  route!: string;

  @PrimaryColumn({ type: 'uuid' })
  thingId!: string;

  @Index('refused_attempts_hour')
  @PrimaryColumn({ type: 'timestamptz', precision: 3 })
  hour!: Date;

  @Column({ type: 'text' })
  kind!: string;

  @Column({ type: 'integer', default: 1 })
  n!: number;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  lastAt!: Date;
}
