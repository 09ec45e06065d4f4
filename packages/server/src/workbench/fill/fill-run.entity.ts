import { Column, Entity, PrimaryGeneratedColumn } from 'typeorm';

/** A fill that was begun: what was asked for, and how many of its batches are in. */
@Entity('fill_runs')
export class FillRun {
  @PrimaryGeneratedColumn('identity', { type: 'integer' })
  id!: number;

  @Column({ type: 'integer' })
  users!: number;

  @Column({ type: 'integer' })
  posts!: number;

  @Column({ type: 'integer' })
  follows!: number;

  @Column({ type: 'integer' })
  comments!: number;

  @Column({ type: 'integer', default: 0 })
  reactions!: number;

  /** The kinds of reaction as they were configured. */
  @Column({ type: 'text', array: true, default: [] })
  kinds!: string[];

  @Column({ type: 'integer' })
  days!: number;

  @Column({ type: 'integer' })
  seed!: number;

  /** The instant that the rows' times are laid back from. */
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  startedAt!: Date;

  @Column({ type: 'integer' })
  batches!: number;

  @Column({ type: 'integer', default: 0 })
  done!: number;
}
