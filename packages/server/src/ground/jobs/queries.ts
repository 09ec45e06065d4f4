/** How long a job is held without a word of its holder. */
export const HELD_SECONDS = 15;
const HELD = `clock_timestamp() + make_interval(secs => ${HELD_SECONDS})`;
/** Soon after the start, what another service left undone is gone on with. */
export const FIRST_AFTER_SECONDS = 5;
/** After a failure it is tried again so soon, then after twice as long, until it is as often as ever. */
const AGAIN_SECONDS = 5;

/** Makes jobs ($1) known, and due soon: a service may have come that does them otherwise. */
export const REGISTER_JOBS = `
  INSERT INTO jobs (name, due_at) SELECT name, clock_timestamp() + make_interval(secs => ${FIRST_AFTER_SECONDS}) FROM unnest($1::text[]) AS j (name) ORDER BY name
  ON CONFLICT (name) DO UPDATE SET due_at = least(jobs.due_at, excluded.due_at)`;

/**
 * Takes the one of these jobs ($1) that is due for longest and that nobody is at, for a process ($2, in words $3). Whoever looks at the same
 * time takes the next. Cost: a pass over a table of a few rows.
 */
export const TAKE_JOB = `
  UPDATE jobs SET holder = $2, held_by = $3, held_until = ${HELD}, begun_at = clock_timestamp()
  WHERE name = (
    SELECT name FROM jobs
    WHERE name = ANY ($1::text[]) AND due_at <= clock_timestamp() AND (held_until IS NULL OR held_until <= clock_timestamp())
    ORDER BY due_at LIMIT 1 FOR NO KEY UPDATE SKIP LOCKED)
  RETURNING name`;

/** Says that a process ($2) is still at a job ($1); no row where it is another's by now. */
export const HOLD_JOB = `UPDATE jobs SET held_until = ${HELD} WHERE name = $1 AND holder = $2 RETURNING name`;

/** A process ($2) is done with a job ($1), which is due again in so many seconds ($3). */
export const END_JOB = `
  UPDATE jobs SET holder = NULL, held_by = NULL, held_until = NULL, ended_at = clock_timestamp(), failures = 0, failed_with = NULL,
    due_at = clock_timestamp() + make_interval(secs => $3)
  WHERE name = $1 AND holder = $2`;

/** The same for a job that failed with a message ($4): it is tried again sooner. */
export const FAIL_JOB = `
  UPDATE jobs SET holder = NULL, held_by = NULL, held_until = NULL, ended_at = clock_timestamp(), failures = failures + 1, failed_with = $4,
    due_at = clock_timestamp() + make_interval(secs => least($3, ${AGAIN_SECONDS} * 2 ^ least(failures, 20)))
  WHERE name = $1 AND holder = $2`;

/** How these jobs ($1) stand. Cost: a pass over a table of a few rows. */
export const JOBS = `
  SELECT name AS does, due_at AS "dueAt", CASE WHEN held_until > clock_timestamp() THEN held_by END AS "heldBy", begun_at AS "begunAt",
    ended_at AS "endedAt", failures, failed_with AS "failedWith"
  FROM jobs WHERE name = ANY ($1::text[]) ORDER BY name`;
