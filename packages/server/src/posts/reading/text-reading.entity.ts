import { Column, Entity, PrimaryColumn } from 'typeorm';

/** How far the texts from before a change of the rules are read anew. */
@Entity('text_readings')
export class TextReading {
  /** The rules, with Unicode's version. */
  @PrimaryColumn({ type: 'integer' })
  version!: number;

  @Column({ type: 'bigint' })
  total!: string;

  @Column({ type: 'bigint', default: 0 })
  done!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  begunAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  endedAt!: Date | null;
}
