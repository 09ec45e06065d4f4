import { Check, Column, Entity, PrimaryColumn } from 'typeorm';

/** Work that one process at a time does now and then. */
@Entity('jobs')
@Check('jobs_held', '(holder IS NULL) = (held_until IS NULL) AND (holder IS NULL) = (held_by IS NULL)')
export class HeldJob {
  /** What it does, as its capability says. */
  @PrimaryColumn({ type: 'text' })
  name!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  dueAt!: Date;

  /** Which process does it. */
  @Column({ type: 'uuid', nullable: true })
  holder!: string | null;

  /** The same in words: its machine and number. */
  @Column({ type: 'text', nullable: true })
  heldBy!: string | null;

  /** It is another's from then on, unless its holder says before that it is still at it. */
  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  heldUntil!: Date | null;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  begunAt!: Date | null;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  endedAt!: Date | null;

  /** How often it failed one after the other, until now. */
  @Column({ type: 'integer', default: 0 })
  failures!: number;

  @Column({ type: 'text', nullable: true })
  failedWith!: string | null;
}
