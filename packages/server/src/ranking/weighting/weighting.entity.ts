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

  /** `retired` was in force until lately: its standings are kept a day for scrolls under way. */
  @Column({ type: 'text', default: 'building' })
  state!: 'building' | 'in-force' | 'retired' | 'past' | 'cancelled' | 'failed';

  @Column({ type: 'text', default: 'operator' })
  adoptedBy!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  inForceFrom!: Date | null;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  inForceUntil!: Date | null;

  /** What is being done about its standings, while they are built. */
  @Column({ type: 'text', nullable: true })
  phase!: string | null;

  /** How many posts stand already, while they are built. */
  @Column({ type: 'bigint', default: 0 })
  built!: string;

  @Column({ type: 'bigint', nullable: true })
  toBuild!: string | null;

  /** How far engagement moves a post by it at most, up and down; bounds that only ever widen. */
  @Column({ type: 'bigint', default: 0 })
  highestLiftMs!: string;

  @Column({ type: 'bigint', default: 0 })
  lowestLiftMs!: string;

  /** How feeds changed by it, measured over a sample of viewers right before it came into force. */
  @Column({ type: 'jsonb', nullable: true })
  effect!: object | null;
}

/** A post that changed while the standings of a new weighting are built. */
@Entity('restand')
export class Restand {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;
}
