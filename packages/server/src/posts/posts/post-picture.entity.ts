import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, Unique, type Relation } from 'typeorm';
import { Upload } from '../../accounts/media/media.entity.js';
import { Post } from './post.entity.js';

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
