import { Column, Entity, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../users/user.entity.js';

/** Why a session ended: `reuse` is that of a refresh token which somebody else has too. */
export type EndReason = 'signed-out' | 'ended' | 'everywhere' | 'password' | 'reuse' | 'account';

/** A signed-in session. Tokens name it, so ending the row ends them all at once. */
@Entity('sessions')
export class Session {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'uuid' })
  userId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  /** SHA-256 of the cookie of a browser; null for tokens. */
  @Column({ type: 'bytea', nullable: true })
  cookieHash!: Buffer | null;

  /** SHA-256 of what all refresh tokens of the session have in common: by it a token of long ago is known. */
  @Column({ type: 'bytea', nullable: true })
  familyHash!: Buffer | null;

  /** Of a browser, which keeps it in a cookie. */
  @Column({ type: 'boolean', default: false })
  byCookie!: boolean;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  rotatedAt!: Date | null;

  /** Opened by the operator to act as the user. */
  @Column({ type: 'boolean', default: false })
  acting!: boolean;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;

  @Column({ type: 'timestamptz', precision: 3 })
  expiresAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  endedAt!: Date | null;

  @Column({ type: 'text', nullable: true })
  endReason!: EndReason | null;
}
