import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, Unique, type Relation } from 'typeorm';
import { Post } from '../posts/post.entity.js';
import { User } from '../../accounts/users/user.entity.js';

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

/** A picture of a post, in its place. */
@Entity('post_pictures')
@Unique('post_pictures_once', ['postId', 'uploadId'])
export class PostPicture {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  @ManyToOne(() => Post, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: Relation<Post>;

  @PrimaryColumn({ type: 'smallint' })
  position!: number;

  @Index('post_pictures_upload')
  @Column({ type: 'uuid' })
  uploadId!: string;

  /** A picture that is shown is not taken from under the post. */
  @ManyToOne(() => Upload, { onDelete: 'NO ACTION' })
  @JoinColumn({ name: 'upload_id' })
  upload?: Relation<Upload>;

  /** What it shows, for who does not see it. */
  @Column({ type: 'text', default: '' })
  alt!: string;
}
