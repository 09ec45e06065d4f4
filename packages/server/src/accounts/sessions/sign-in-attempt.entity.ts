import { Column, Entity, Index, PrimaryColumn } from 'typeorm';

/** Attempts to sign in, in a row. */
@Entity('sign_in_attempts')
export class SignInAttempt {
  /** SHA-256 of the account, or of account and address. */
  @PrimaryColumn({ type: 'bytea' })
  key!: Buffer;

  @Column({ type: 'integer' })
  n!: number;

  @Index('sign_in_attempts_age')
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  lastAt!: Date;
}
