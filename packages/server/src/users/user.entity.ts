import type { FieldValues } from '@gather-lane/core';
import { Column, Entity, OneToMany, OneToOne, PrimaryColumn, type Relation } from 'typeorm';
import { Post } from '../posts/post.entity.js';
import { UserTally } from '../tallies/tally.entity.js';
import { Credential } from './credential.entity.js';

/** Somebody with an account: what everybody may see of them. */
@Entity('users')
export class User {
  @PrimaryColumn({ type: 'uuid' })
  id!: string;

  @Column({ type: 'text', unique: true })
  handle!: string;

  @Column({ type: 'text' })
  name!: string;

  @Column({ type: 'text', default: '' })
  bio!: string;

  @Column({ type: 'integer', default: 1 })
  version!: number;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;

  @OneToOne(() => Credential, (credential) => credential.user)
  credential?: Relation<Credential>;

  @OneToOne(() => UserTally, (tally) => tally.user)
  tally?: Relation<UserTally>;

  @OneToMany(() => Post, (post) => post.author)
  posts?: Relation<Post[]>;

  /** The developer's own fields; mapped from the model file. */
  fields?: FieldValues;
}
