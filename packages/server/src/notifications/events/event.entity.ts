import { Column, Entity, PrimaryColumn } from 'typeorm';

/** Something that happened, for whoever is connected. */
@Entity('events')
export class Event {
  /** An `xid8`, which the ORM does not know; it reads as text. */
  @PrimaryColumn({ type: 'text', default: () => 'pg_current_xact_id()' })
  xid!: string;

  @PrimaryColumn({ type: 'bigint', generated: 'identity' })
  id!: string;

  @Column({ type: 'text' })
  kind!: string;

  /** Whom or what it is about; null where they are too many to be named. */
  @Column({ type: 'uuid', array: true, nullable: true })
  subjects!: string[] | null;

  @Column({ type: 'uuid', array: true, nullable: true })
  details!: string[] | null;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  madeAt!: Date;
}

/** How far a job has read the events. */
@Entity('event_readers')
export class EventReader {
  @PrimaryColumn({ type: 'text' })
  name!: string;

  /** The snapshot that it has seen all of. */
  @Column({ type: 'text' })
  snapshot!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  readAt!: Date;
}
