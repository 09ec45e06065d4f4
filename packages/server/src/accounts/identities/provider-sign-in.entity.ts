import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../users/user.entity.js';

/** A sign-in that is under way at an outside provider. */
@Entity('provider_sign_ins')
export class ProviderSignIn {
  /** SHA-256 of the ticket that the browser which began it holds. */
  @PrimaryColumn({ type: 'bytea' })
  ticketHash!: Buffer;

  @Column({ type: 'text' })
  provider!: string;

  @Column({ type: 'text' })
  state!: string;

  @Column({ type: 'text' })
  nonce!: string;

  /** What proves to the provider that who ends the sign-in is who began it (PKCE). */
  @Column({ type: 'text' })
  verifier!: string;

  /** Whose account the identity is to be linked to; null for signing in. */
  @Index('provider_sign_ins_user')
  @Column({ type: 'uuid', nullable: true })
  userId!: string | null;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Index('provider_sign_ins_age')
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
