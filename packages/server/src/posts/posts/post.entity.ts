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
import { PostTally } from '../../ranking/tallies/tally.entity.js';
import { Editable } from '../../ground/database/editable.entity.js';
import type { PictureJson } from '../../accounts/media/picture.js';
import { User } from '../../accounts/users/user.entity.js';

/** Something that somebody posted. */
@Entity('posts')
@Index('posts_recent', ['createdAt', 'id'], { where: 'deleted_at IS NULL' })
@Index('posts_author_recent', ['authorId', 'createdAt', 'id'], { where: 'deleted_at IS NULL' })
export class Post extends Editable {
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

  /** What is shown of its pictures, kept by the database's triggers; null where there are none. */
  @Column({ type: 'jsonb', nullable: true, insert: false, update: false })
  pictures!: PictureJson[] | null;

  @OneToOne(() => PostTally, (tally) => tally.post)
  tally?: Relation<PostTally>;

  @OneToMany('Comment', 'post')
  comments?: object[];
}
