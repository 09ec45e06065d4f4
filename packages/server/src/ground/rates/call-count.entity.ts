import { Column, Entity, Index, PrimaryColumn } from 'typeorm';

/** How often somebody called lately, at all processes. Unlogged: a crash may take it along. */
@Entity('call_counts')
export class CallCount {
  /** A hash of what is counted, and for whom. */
  @PrimaryColumn({ type: 'text' })
  key!: string;

  @Column({ type: 'integer' })
  n!: number;

  @Index('call_counts_ends')
  @Column({ type: 'timestamptz', precision: 3 })
  endsAt!: Date;
}
