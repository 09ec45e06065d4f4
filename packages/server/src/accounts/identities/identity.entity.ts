import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, Unique, type Relation } from 'typeorm';
import { User } from '../users/user.entity.js';

/** Who somebody is to an outside issuer. */
@Entity('identities')
@Unique('identities_taken', ['issuer', 'subject'])
export class Identity {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'text' })
  issuer!: string;

  /** As the issuer says; its SHA-256 once the account is deleted, so that it stays gone. */
  @Column({ type: 'text' })
  subject!: string;

  /** Null once the account is deleted. */
  @Index('identities_user')
  @Column({ type: 'uuid', nullable: true })
  userId!: string | null;

  @ManyToOne(() => User, { onDelete: 'SET NULL' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
