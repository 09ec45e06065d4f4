import type { KnownField } from '@gather-lane/core';
import { Column, Entity, PrimaryColumn } from 'typeorm';

/** A service that runs on this database, and the model that it believes in. */
@Entity('live_services')
export class LiveService {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'text' })
  host!: string;

  @Column({ type: 'integer' })
  pid!: number;

  @Column({ type: 'jsonb' })
  model!: KnownField[];

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  startedAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  seenAt!: Date;
}
