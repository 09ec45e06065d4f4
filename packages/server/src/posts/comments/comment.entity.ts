import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, Unique, type Relation } from 'typeorm';
import { Post } from '../posts/post.entity.js';
import { Editable } from '../../ground/database/editable.entity.js';
import { User } from '../../accounts/users/user.entity.js';

/** An answer to a post, or to another comment on the same post. */
@Entity('comments')
@Unique('comments_of_post', ['postId', 'id'])
@Index('comments_replies', ['postId', 'parentId'])
@Index('comments_thread', ['postId', 'underId'])
export class Comment extends Editable {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'uuid' })
  postId!: string;

  @ManyToOne(() => Post, (post) => post.comments, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: Relation<Post>;

  /** The comment that this one answers; the foreign key includes the post, so it is of the same one. */
  @Column({ type: 'uuid', nullable: true })
  parentId!: string | null;

  /** The comment that it stands under: another than it answers where the thread is as deep as it may be. */
  @Column({ type: 'uuid', nullable: true })
  underId!: string | null;

  /** How many comments it stands under. */
  @Column({ type: 'smallint', default: 0 })
  depth!: number;

  /** Null in the place that is left of a comment with answers when its author's account is gone. */
  @Index('comments_author')
  @Column({ type: 'uuid', nullable: true })
  authorId!: string | null;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'author_id' })
  author?: Relation<User>;

  @Column({ type: 'text' })
  body!: string;
}
