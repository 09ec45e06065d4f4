import { Column, Entity, Index, JoinColumn, OneToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../user.entity.js';

/** A deleted account whose rows are still being erased; the row goes with the user. */
@Entity('erasures')
export class Erasure {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @OneToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Index('erasures_begun')
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  begunAt!: Date;

  /** Rows erased so far. */
  @Column({ type: 'integer', default: 0 })
  erased!: number;
}
