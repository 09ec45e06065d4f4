import { Column, Entity, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { Post } from './post.entity.js';

/** What a post said before an edit. */
@Entity('post_versions')
export class PostVersion {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  @ManyToOne(() => Post, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'post_id' })
  post?: Relation<Post>;

  @PrimaryColumn({ type: 'integer' })
  version!: number;

  @Column({ type: 'text' })
  body!: string;

  /** The developer's own fields, by name. */
  @Column({ type: 'jsonb', nullable: true })
  fields!: Record<string, unknown> | null;

  /** Its pictures, in order: what they were of and what they showed. */
  @Column({ type: 'jsonb' })
  pictures!: { id: string; alt: string }[];

  /** Since when it said so. */
  @Column({ type: 'timestamptz', precision: 3 })
  createdAt!: Date;
}
