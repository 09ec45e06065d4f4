import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { Comment } from '../comments/comment.entity.js';
import { Post } from '../posts/post.entity.js';
import { User } from '../../accounts/users/user.entity.js';

/** What a moderator did about a post or a comment, and why. */
@Entity('moderations')
@Index('moderations_newest', ['createdAt', 'id'])
export class Moderation {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Index('moderations_moderator_id')
  @Column({ type: 'uuid', nullable: true })
  moderatorId!: string | null;

  @ManyToOne(() => User, { onDelete: 'SET NULL' })
  @JoinColumn({ name: 'moderator_id' })
  moderator?: Relation<User>;

  @Index('moderations_post_id')
  @Column({ type: 'uuid' })
  postId!: string;

  @ManyToOne(() => Post, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: Relation<Post>;

  /** The comment on the post that it was about; null when it was about the post. */
  @Index('moderations_comment_id')
  @Column({ type: 'uuid', nullable: true })
  commentId!: string | null;

  @ManyToOne(() => Comment, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'comment_id' })
  comment?: Relation<Comment>;

  @Column({ type: 'text' })
  action!: 'delete' | 'withhold' | 'restore';

  @Column({ type: 'text' })
  reason!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
