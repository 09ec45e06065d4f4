import { Column, Entity, JoinColumn, OneToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../../accounts/users/user.entity.js';

/** A user of an ownership check under way. */
@Entity('throw_away_users')
export class ThrowAwayUser {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @OneToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  madeAt!: Date;
}
