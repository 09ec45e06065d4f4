import { Column, Entity, Index, PrimaryGeneratedColumn } from 'typeorm';

/** The record of a call: what lists and figures are made of in columns, all else as JSON. Unlogged: a crash may take it along. */
@Entity('traces')
@Index('traces_process', ['process', 'n'])
export class TraceRow {
  /** The order in which calls ended. */
  @PrimaryGeneratedColumn('identity', { type: 'bigint', generatedIdentity: 'ALWAYS' })
  n!: string;

  @Column({ type: 'uuid', unique: true })
  id!: string;

  /** The process that made it, and keeps only so many. */
  @Column({ type: 'uuid' })
  process!: string;

  @Index('traces_started')
  @Column({ type: 'timestamptz', precision: 3 })
  startedAt!: Date;

  @Column({ type: 'text' })
  method!: string;

  @Column({ type: 'text' })
  route!: string;

  /** `nobody`, `user` or `operator`. */
  @Column({ type: 'text' })
  caller!: string;

  @Column({ type: 'uuid', nullable: true })
  userId!: string | null;

  @Column({ type: 'text', nullable: true })
  handle!: string | null;

  /** Null for a call that was cut off. */
  @Column({ type: 'integer', nullable: true })
  status!: number | null;

  @Column({ type: 'real' })
  ms!: number;

  @Column({ type: 'integer' })
  statements!: number;

  @Column({ type: 'integer' })
  rows!: number;

  @Column({ type: 'integer' })
  warnings!: number;

  /** Whether all of it was rolled back on purpose: it counts in no figure. */
  @Column({ type: 'boolean' })
  rehearsed!: boolean;

  @Column({ type: 'integer' })
  bytes!: number;

  @Column({ type: 'text' })
  body!: string;
}
