import { Column, Entity, JoinColumn, OneToOne, PrimaryColumn } from 'typeorm';

/** Counts about a user, kept by the database's triggers; never written by the service. */
@Entity('user_tallies')
export class UserTally {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @OneToOne('User', 'tally', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: object;

  @Column({ type: 'integer', default: 0 })
  posts!: number;

  @Column({ type: 'integer', default: 0 })
  followers!: number;

  @Column({ type: 'integer', default: 0 })
  following!: number;
}

/** Counts about a post, kept by the database's triggers; never written by the service. */
@Entity('post_tallies')
export class PostTally {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  @OneToOne('Post', 'tally', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: object;

  @Column({ type: 'integer', default: 0 })
  comments!: number;

  /** How many people other than the author have commented: what lifts the post. */
  @Column({ type: 'integer', default: 0 })
  commentPeople!: number;

  /** How many reacted with each kind. */
  @Column({ type: 'jsonb', default: {} })
  reactions!: Record<string, number>;

  /** The kind by which the author reacted to their own post, which does not lift it. */
  @Column({ type: 'text', nullable: true })
  authorReaction!: string | null;
}

/** Counts about a comment that somebody reacted to. */
@Entity('comment_tallies')
export class CommentTally {
  @PrimaryColumn({ type: 'uuid' })
  commentId!: string;

  @OneToOne('Comment', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'comment_id' })
  comment?: object;

  @Column({ type: 'jsonb', default: {} })
  reactions!: Record<string, number>;
}

/** How many visible comments one person has on one post. */
@Entity('post_commenters')
export class PostCommenter {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @Column({ type: 'integer' })
  n!: number;
}
