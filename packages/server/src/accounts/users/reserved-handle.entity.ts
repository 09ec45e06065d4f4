import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from './user.entity.js';

/** A handle that was given up, kept free for a while. */
@Entity('reserved_handles')
export class ReservedHandle {
  @PrimaryColumn({ type: 'text' })
  handle!: string;

  /** Who may have it back; null keeps it from everybody. */
  @Index('reserved_handles_user')
  @Column({ type: 'uuid', nullable: true })
  userId!: string | null;

  @ManyToOne(() => User, { onDelete: 'SET NULL' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Column({ type: 'timestamptz', precision: 3 })
  reservedUntil!: Date;
}
