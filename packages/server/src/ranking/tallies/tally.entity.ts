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

/** Counts about a comment, and where it stands. */
@Entity('comment_tallies')
export class CommentTally {
  @PrimaryColumn({ type: 'uuid' })
  commentId!: string;

  @OneToOne('Comment', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'comment_id' })
  comment?: object;

  @Column({ type: 'jsonb', default: {} })
  reactions!: Record<string, number>;

  @Column({ type: 'uuid' })
  postId!: string;

  /** The comment that it stands under; the post, for those at the top. */
  @Column({ type: 'uuid' })
  placeId!: string;

  @Column({ type: 'timestamptz', precision: 3 })
  createdAt!: Date;

  @Column({ type: 'boolean' })
  inSight!: boolean;

  /** Those directly under it that are in sight. */
  @Column({ type: 'integer', default: 0 })
  replies!: number;

  /** How many people other than its author replied or reacted: how lively it is. */
  @Column({ type: 'integer', default: 0 })
  people!: number;

  /** How many of those directly under it show, or have something below that does. */
  @Column({ type: 'integer', default: 0 })
  below!: number;
}

/** How many visible replies and reactions one person has to a comment. */
@Entity('comment_people')
export class CommentPerson {
  @PrimaryColumn({ type: 'uuid' })
  commentId!: string;

  @OneToOne('Comment', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'comment_id' })
  comment?: object;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @Column({ type: 'integer' })
  n!: number;
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
