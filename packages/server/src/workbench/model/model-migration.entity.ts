import type { Answers, OwnFields } from '@gather-lane/core';
import {
  Column,
  Entity,
  Index,
  JoinColumn,
  ManyToOne,
  OneToMany,
  PrimaryColumn,
  PrimaryGeneratedColumn,
  type Relation,
} from 'typeorm';

/** How a migration of the developer's model stands. */
export type MigrationState = 'running' | 'waiting' | 'done' | 'failed';

/** A migration of the developer's own lineage. */
@Entity('model_migrations')
export class ModelMigration {
  @PrimaryGeneratedColumn('identity', { type: 'integer' })
  id!: number;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  begunAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  endedAt!: Date | null;

  @Column({ type: 'text', default: 'running' })
  state!: MigrationState;

  /** The model that it began from, and the one that it leads to. */
  @Column({ type: 'jsonb' })
  before!: OwnFields;

  @Column({ type: 'jsonb' })
  after!: OwnFields;

  @Column({ type: 'jsonb' })
  answers!: Answers;

  /** The migration that this one takes back. */
  @Index('model_migrations_undone')
  @Column({ type: 'integer', nullable: true })
  undoes!: number | null;

  @ManyToOne(() => ModelMigration, { onDelete: 'SET NULL' })
  @JoinColumn({ name: 'undoes' })
  undone?: Relation<ModelMigration>;

  /** Why it waits or failed. */
  @Column({ type: 'text', nullable: true })
  note!: string | null;

  @OneToMany(() => ModelStep, (step) => step.migration)
  steps?: Relation<ModelStep[]>;
}

/** A step of it, as it was carried out. */
@Entity('model_steps')
export class ModelStep {
  @PrimaryColumn({ type: 'integer' })
  migrationId!: number;

  @PrimaryColumn({ type: 'integer' })
  n!: number;

  @ManyToOne(() => ModelMigration, (migration) => migration.steps, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'migration_id' })
  migration?: Relation<ModelMigration>;

  /** The field that it is about: `posts.lockNumber`. */
  @Column({ type: 'text' })
  field!: string;

  @Column({ type: 'text' })
  does!: string;

  @Column({ type: 'text' })
  sql!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  begunAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  endedAt!: Date | null;

  /** Rows that it changed, where it changed any. */
  @Column({ type: 'integer', nullable: true })
  rows!: number | null;
}
