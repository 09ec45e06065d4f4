import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn } from 'typeorm';

/** A word that posts gather under; made by the database's triggers, by what posts name. */
@Entity('hashtags')
export class Hashtag {
  @PrimaryColumn({ type: 'bigint', generated: 'identity' })
  id!: string;

  /** The form that is compared. */
  @Column({ type: 'text', unique: true })
  name!: string;

  /** As it was first written. */
  @Column({ type: 'text' })
  shown!: string;

  /** Posts in sight. */
  @Column({ type: 'integer', default: 0 })
  posts!: number;

  @Column({ type: 'integer', default: 0 })
  people!: number;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}

/** How many posts in sight one person has under a hashtag. */
@Entity('hashtag_people')
export class HashtagPerson {
  @PrimaryColumn({ type: 'bigint' })
  hashtagId!: string;

  @ManyToOne('Hashtag', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'hashtag_id' })
  hashtag?: object;

  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @Column({ type: 'integer' })
  n!: number;
}

/** A post in sight under a hashtag, with what of a post never changes. */
@Entity('post_hashtags')
@Index('post_hashtags_newest', ['hashtagId', 'createdAt', 'postId'])
export class PostHashtag {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  @ManyToOne('Post', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: object;

  @PrimaryColumn({ type: 'bigint' })
  hashtagId!: string;

  @ManyToOne('Hashtag', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'hashtag_id' })
  hashtag?: object;

  @Column({ type: 'uuid' })
  authorId!: string;

  @Column({ type: 'timestamptz', precision: 3 })
  createdAt!: Date;
}

/** One of the liveliest hashtags of the last day or week. */
@Entity('lively_hashtags')
export class LivelyHashtag {
  @PrimaryColumn({ type: 'text' })
  over!: 'day' | 'week';

  @PrimaryColumn({ type: 'bigint' })
  hashtagId!: string;

  @ManyToOne('Hashtag', { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'hashtag_id' })
  hashtag?: object;

  @Column({ type: 'integer' })
  posts!: number;

  @Column({ type: 'integer' })
  people!: number;

  /** The law of lane time over its people. */
  @Column({ type: 'timestamptz', precision: 3 })
  laneTime!: Date;

  @Column({ type: 'timestamptz', precision: 3 })
  madeAt!: Date;
}
