import { Check, Column, Entity, PrimaryColumn } from 'typeorm';

/** What the latest ownership check found: one row. */
@Entity('ownership_checks')
@Check('ownership_checks_one', 'latest')
export class LatestOwnershipCheck {
  @PrimaryColumn({ type: 'boolean', default: true })
  latest!: true;

  @Column({ type: 'timestamptz', precision: 3 })
  startedAt!: Date;

  @Column({ type: 'timestamptz', precision: 3 })
  endedAt!: Date;

  @Column({ type: 'integer' })
  calls!: number;

  @Column({ type: 'integer' })
  faults!: number;

  @Column({ type: 'jsonb' })
  routes!: object[];
}
