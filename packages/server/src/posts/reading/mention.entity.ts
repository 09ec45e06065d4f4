import { Entity, Index, JoinColumn, ManyToOne, PrimaryColumn } from 'typeorm';

/** Somebody whom a post mentions; follows its spans. */
@Entity('post_mentions')
@Index('post_mentions_user', ['userId', 'postId'])
export class PostMention {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  @ManyToOne('Post', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: object;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @ManyToOne('User', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: object;
}

/** Somebody whom a comment mentions; follows its spans. */
@Entity('comment_mentions')
@Index('comment_mentions_user', ['userId', 'commentId'])
export class CommentMention {
  @PrimaryColumn({ type: 'uuid' })
  commentId!: string;

  @ManyToOne('Comment', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'comment_id' })
  comment?: object;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @ManyToOne('User', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: object;
}
