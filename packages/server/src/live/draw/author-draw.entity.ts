import { Column, Entity, Index, JoinColumn, OneToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from '../../accounts/users/user.entity.js';

/** What the posts of an author drew lately; whose drew nothing has no row. */
@Entity('author_draws')
@Index('author_draws_listed', ['draw', 'userId'])
export class AuthorDraw {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @OneToOne(() => User, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  @Column({ type: 'double precision' })
  draw!: number;

  @Column({ type: 'timestamptz', precision: 3 })
  madeAt!: Date;
}
