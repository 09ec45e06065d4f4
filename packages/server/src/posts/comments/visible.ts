/** The condition that a comment's post is in sight. */
export const OF_VISIBLE_POST = `EXISTS (SELECT FROM posts p WHERE p.id = comments.post_id AND p.deleted_at IS NULL)`;
