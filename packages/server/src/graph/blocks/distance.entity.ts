import { Column, Entity, Index, JoinColumn, ManyToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../../accounts/users/user.entity.js';

/** Somebody does not want to read what somebody else writes; the other is not told. */
@Entity('mutes')
@Index('mutes_listed', ['muterId', 'createdAt', 'mutedId'])
export class Mute {
  @PrimaryColumn({ type: 'uuid' })
  muterId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'muter_id' })
  muter?: Relation<User>;

  @Index('mutes_target')
  @PrimaryColumn({ type: 'uuid' })
  mutedId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'muted_id' })
  muted?: Relation<User>;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}

/** Somebody keeps somebody else away: the blocked user sees nothing of the blocker. */
@Entity('blocks')
@Index('blocks_listed', ['blockerId', 'createdAt', 'blockedId'])
export class Block {
  @PrimaryColumn({ type: 'uuid' })
  blockerId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'blocker_id' })
  blocker?: Relation<User>;

  @Index('blocks_target')
  @PrimaryColumn({ type: 'uuid' })
  blockedId!: string;

  @ManyToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'blocked_id' })
  blocked?: Relation<User>;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  createdAt!: Date;
}
