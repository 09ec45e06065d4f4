import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { Comment } from '../comments/comment.entity.js';
import { Post } from '../posts/post.entity.js';
import { User } from '../../accounts/users/user.entity.js';

/** How somebody reacted to a post: one reaction for each person and post. */
@Entity('reactions')
@Index('reactions_user', ['userId', 'postId'])
@Index('reactions_listed', ['postId', 'createdAt', 'userId'])
export class Reaction {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  @ManyToOne(() => Post, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: Relation<Post>;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  /** One of the kinds of the configuration. */
  @Column({ type: 'text' })
  kind!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}

/** How somebody reacted to a comment. */
@Entity('comment_reactions')
@Index('comment_reactions_user', ['userId', 'commentId'])
@Index('comment_reactions_listed', ['commentId', 'createdAt', 'userId'])
export class CommentReaction {
  @PrimaryColumn({ type: 'uuid' })
  commentId!: string;

  @ManyToOne(() => Comment, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'comment_id' })
  comment?: Relation<Comment>;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Column({ type: 'text' })
  kind!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
