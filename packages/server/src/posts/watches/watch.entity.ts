import { Column, Entity, Index, JoinColumn, ManyToOne, OneToOne, PrimaryColumn } from 'typeorm';

/** That somebody hears of new comments on a post, or left it. */
@Entity('post_watches')
@Index('post_watches_user', ['userId', 'createdAt', 'postId'])
export class PostWatch {
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

  /** False once they left: a comment of theirs does not bring them back. */
  @Column({ type: 'boolean', default: true })
  watching!: boolean;

  /** Since when. */
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}

/** A comment that those who watch its post are still to be told of. */
@Entity('comment_announcements')
export class CommentAnnouncement {
  @PrimaryColumn({ type: 'uuid' })
  commentId!: string;

  @OneToOne('Comment', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'comment_id' })
  comment?: object;

  /** All up to this user were told. */
  @Column({ type: 'uuid', default: '00000000-0000-0000-0000-000000000000' })
  afterUser!: string;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  madeAt!: Date;
}
