import { Column, Entity, PrimaryColumn } from 'typeorm';

/** The text of a statement, once for all traces that name it. */
@Entity('trace_texts')
export class TraceText {
  @PrimaryColumn({ type: 'text' })
  hash!: string;

  @Column({ type: 'text' })
  text!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  seenAt!: Date;
}
