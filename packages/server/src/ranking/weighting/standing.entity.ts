import { Column, Entity, Index, PrimaryColumn, ViewColumn, ViewEntity } from 'typeorm';

/** Where each visible post stands under the weighting in force: a view of that weighting's own table. */
@ViewEntity('standings', { synchronize: false, expression: 'SELECT post_id, author_id, lane_time FROM standings_1' })
export class Standing {
  @ViewColumn()
  postId!: string;

  @ViewColumn()
  authorId!: string;

  @ViewColumn()
  laneTime!: Date;
}

/** A post that fell, or went, in one transaction: kept a day for the scrolls under way. */
@Entity('standing_drops')
export class StandingDrop {
  @PrimaryColumn({ type: 'uuid' })
  postId!: string;

  /** An `xid8`, which the ORM does not know; it reads as text. */
  @PrimaryColumn({ type: 'text' })
  xid!: string;

  @Column({ type: 'timestamptz', precision: 3 })
  fromLaneTime!: Date;

  /** Under which weighting it fell: a scroll looks at those of its own alone. */
  @Column({ type: 'integer', default: 1 })
  weighting!: number;

  @Index('standing_drops_age')
  @Column({ type: 'timestamptz', precision: 3, default: () => 'clock_timestamp()' })
  droppedAt!: Date;
}
