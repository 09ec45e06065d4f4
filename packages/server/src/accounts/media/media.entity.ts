import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../users/user.entity.js';

/** A picture as it is stored, once for the same content. */
@Entity('blobs')
export class Blob {
  /** Also the name of its files. */
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  /** SHA-256 of what was uploaded. */
  @Column({ type: 'bytea', unique: true })
  hash!: Buffer;

  @Column({ type: 'integer' })
  width!: number;

  @Column({ type: 'integer' })
  height!: number;

  /** The widths that it is stored in, in pixels. */
  @Column({ type: 'integer', array: true })
  widths!: number[];

  /** What its files take together. */
  @Column({ type: 'bigint' })
  bytes!: string;

  /** A tiny blurred picture as a data URI, to show until the real one is there. */
  @Column({ type: 'text' })
  placeholder!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}

/** Whose a picture is: two who upload the same have an upload each, of one blob. */
@Entity('uploads')
export class Upload {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Index('uploads_user')
  @Column({ type: 'uuid' })
  userId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Index('uploads_blob')
  @Column({ type: 'uuid' })
  blobId!: string;

  @ManyToOne(() => Blob, { onDelete: 'RESTRICT' })
  @JoinColumn({ name: 'blob_id' })
  blob?: Relation<Blob>;

  @Index('uploads_age')
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
