import { Check, Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../../accounts/users/user.entity.js';

/** One user follows another. The pair is the key: half of it never says anything. */
@Entity('follows')
@Check('follows_not_self', 'follower_id <> followee_id')
@Index('follows_followers', ['followeeId', 'createdAt', 'followerId'])
@Index('follows_following', ['followerId', 'createdAt', 'followeeId'])
export class Follow {
  @PrimaryColumn({ type: 'uuid' })
  followerId!: string;

  @PrimaryColumn({ type: 'uuid' })
  followeeId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'follower_id' })
  follower?: Relation<User>;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'followee_id' })
  followee?: Relation<User>;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
