import { Column, Entity, Index, PrimaryColumn } from 'typeorm';

/** A process that traces calls, and answers what others ask of its traces. Unlogged, as the two below: a crash may take them along. */
@Entity('trace_processes')
export class TraceProcess {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  seenAt!: Date;
}

/** What one process asks all others. */
@Entity('trace_questions')
export class TraceQuestion {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'uuid' })
  asker!: string;

  @Column({ type: 'text' })
  question!: string;

  @Index('trace_questions_asked')
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  askedAt!: Date;
}

/** What one of them answered. */
@Entity('trace_answers')
export class TraceAnswer {
  @PrimaryColumn({ type: 'uuid' })
  questionId!: string;

  @PrimaryColumn({ type: 'uuid' })
  process!: string;

  @Column({ type: 'text' })
  answer!: string;
}
