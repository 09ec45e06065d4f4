import { Column, Entity, PrimaryColumn } from 'typeorm';

/** A secret that signs access tokens; in the database so that all processes share it. */
@Entity('signing_keys')
export class SigningKey {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'bytea' })
  secret!: Buffer;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
