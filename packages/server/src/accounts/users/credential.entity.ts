import { Column, Entity, JoinColumn, OneToOne, PrimaryColumn, type Relation } from 'typeorm';
import { User } from './user.entity.js';

/** How a user proves who they are. Nothing of this is ever shown. */
@Entity('credentials')
export class Credential {
  @PrimaryColumn({ type: 'uuid' })
  userId!: string;

  @OneToOne(() => User, (user) => user.credential, { onDelete: 'CASCADE' })
  @JoinColumn({ name: 'user_id' })
  user?: Relation<User>;

  /** As it was written; unique without regard to case. */
  @Column({ type: 'text' })
  email!: string;

  /** argon2id, in its PHC string form. */
  @Column({ type: 'text' })
  passwordHash!: string;

  /** Made by the demo with a published password: a service that is no demo does not accept it. */
  @Column({ type: 'boolean', default: false })
  demo!: boolean;
}
