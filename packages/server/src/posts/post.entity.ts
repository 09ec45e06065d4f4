import {
  Column,
  Entity,
  Index,
  JoinColumn,
  ManyToOne,
  OneToMany,
  OneToOne,
  PrimaryColumn,
  type Relation,
} from 'typeorm';
import { Comment } from '../comments/comment.entity.js';
import { PostTally } from '../tallies/tally.entity.js';
import { User } from '../users/user.entity.js';

/** Something that somebody posted. */
@Entity('posts')
@Index('posts_recent', ['createdAt', 'id'], { where: 'deleted_at IS NULL' })
@Index('posts_author_recent', ['authorId', 'createdAt', 'id'], { where: 'deleted_at IS NULL' })
export class Post {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Index('posts_author')
  @Column({ type: 'uuid' })
  authorId!: string;

  @ManyToOne(() => User, (user) => user.posts, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'author_id' })
  author?: Relation<User>;

  @Column({ type: 'text' })
  body!: string;

  /** Counts the edits; the `ETag` of the post. */
  @Column({ type: 'integer', default: 1 })
  version!: number;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  editedAt!: Date | null;

  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  deletedAt!: Date | null;

  @OneToOne(() => PostTally, (tally) => tally.post)
  tally?: Relation<PostTally>;

  @OneToMany(() => Comment, (comment) => comment.post)
  comments?: Relation<Comment[]>;
}
