import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../users/user.entity.js';

/** A one-time link by which somebody who forgot their password sets another. */
@Entity('password_resets')
@Index('password_resets_user', ['userId', 'createdAt'])
export class PasswordReset {
  /** SHA-256 of what the link carries. */
  @PrimaryColumn({ type: 'bytea' })
  tokenHash!: Buffer;

  @Column({ type: 'uuid' })
  userId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;

  @Column({ type: 'timestamptz', precision: 3 })
  expiresAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  usedAt!: Date | null;
}
