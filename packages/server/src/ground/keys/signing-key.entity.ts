import { Column, Entity, PrimaryColumn } from 'typeorm';

/** What a key signs. */
export type KeyPurpose = 'tokens' | 'cursors';

/** A secret that signs access tokens or cursors; in the database so that all processes share it. */
@Entity('signing_keys')
export class SigningKey {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'bytea' })
  secret!: Buffer;

  @Column({ type: 'text', default: 'tokens' })
  purpose!: KeyPurpose;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
