import { Column, Entity, PrimaryColumn } from 'typeorm';

/** A version of the numbers behind lane time; base and weights in whole thousandths. */
@Entity('weightings')
export class WeightingRow {
  @PrimaryColumn({ type: 'integer' })
  id!: number;

  @Column({ type: 'bigint' })
  halfLifeMs!: string;

  @Column({ type: 'integer' })
  base!: number;

  @Column({ type: 'jsonb' })
  weights!: Record<string, number>;

  @Column({ type: 'text', default: '' })
  note!: string;

  /** One weighting, and only one, is in force. */
  @Column({ type: 'boolean', default: false })
  inForce!: boolean;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
