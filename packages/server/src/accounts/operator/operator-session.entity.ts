import { Column, Entity, Index, PrimaryColumn } from 'typeorm';

/** A browser that the operator key was given in. */
@Entity('operator_sessions')
export class OperatorSession {
  /** A hash of its cookie and the operator key: a new key ends the sessions of the old one. */
  @PrimaryColumn({ type: 'bytea' })
  tokenHash!: Buffer;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;

  @Index('operator_sessions_expiry')
  @Column({ type: 'timestamptz', precision: 3 })
  expiresAt!: Date;
}
