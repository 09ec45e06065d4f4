import { Column, Entity, Index, PrimaryColumn } from 'typeorm';

/** A line that a crew writes into its log book. */
@Entity('log_entries')
export class LogEntry {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Index('log_entries_user')
  @Column({ type: 'uuid' })
  userId!: string;

  @Column({ type: 'text' })
  line!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
