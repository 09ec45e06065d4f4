import type { FieldValues } from '@gather-lane/core';
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
import { UserTally } from '../../ranking/tallies/tally.entity.js';

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

  /** Who may see the profile and what the user posts. */
  @Column({ type: 'text', default: 'everyone' })
  audience!: 'everyone' | 'signed-in';

  /** May delete, withhold and restore what others posted; never edit it. */
  @Column({ type: 'boolean', default: false })
  moderator!: boolean;

  /** The account was deleted; a job erases what is left of it. */
  @Index('users_erased', { where: 'erased_at IS NOT NULL' })
  @Column({ type: 'timestamptz', precision: 3, nullable: true })
  erasedAt!: Date | null;

  /** The upload that is the user's picture. */
  @Index('users_picture_id')
  @Column({ type: 'uuid', nullable: true })
  pictureId!: string | null;

  @ManyToOne('Upload', { onDelete: 'NO ACTION' })
  @JoinColumn({ name: 'picture_id' })
  picture?: object;

  /** The smallest file of that picture, kept by a trigger of the database. */
  @Column({ type: 'text', nullable: true, insert: false, update: false })
  pictureFile!: string | null;

  /** A picture elsewhere, as an outside issuer says; shown where the user has set none. */
  @Column({ type: 'text', nullable: true })
  pictureLink!: string | null;

  @OneToOne('Credential', 'user')
  credential?: object;

  @OneToOne(() => UserTally, (tally) => tally.user)
  tally?: Relation<UserTally>;

  @OneToMany('Post', 'author')
  posts?: object[];

  /** The developer's own fields; mapped from the model file. */
  fields?: FieldValues;
}
