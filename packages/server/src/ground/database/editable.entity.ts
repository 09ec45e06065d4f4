import type { FieldValues, Removal, StoredSpan } from '@gather-lane/core';
import { Column } from 'typeorm';

/** What people write and may edit or take back: posts and comments. */
export abstract class Editable {
  /** Counts the edits; the `ETag`. */
  @Column({ type: 'integer', default: 1 })
  version!: number;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  editedAt!: Date | null;

  /** Deleting is soft: the row stays for a while, and nothing shows it. */
  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  deletedAt!: Date | null;

  /** Who took it out of sight. */
  @Column({ type: 'text', nullable: true })
  removal!: Removal | null;

  /** What its text names, as it was found there. */
  @Column({ type: 'jsonb', default: [] })
  spans!: StoredSpan[];

  /** By which rules its text was read; 0 for not yet. */
  @Column({ type: 'integer', default: 0 })
  reading!: number;

  /** The developer's own fields; mapped from the model file. */
  fields?: FieldValues;
}
