import { Users } from '../../accounts/users/service.js';
import type { Capability } from '../../ground/capability/capability.js';
import { orphans } from '../../ground/capability/data-check.js';
import { readId } from '../../ground/http/doorway.js';
import { IdempotentCalls } from '../../ground/idempotency/service.js';
import { Lists } from '../../ground/standbys/lists.js';
import { readHere } from '../reading/read-here.js';
import { TRIALS } from './ownership.js';
import { PostPicture } from './post-picture.entity.js';
import { PostVersion } from './post-version.entity.js';
import { Post } from './post.entity.js';
import { REPAIR_VERSIONS } from './repair.js';
import { Posts } from './service.js';
import { SHOWN_PICTURES } from './shown-pictures.js';
import { COUNT_MADE_OWN, COUNT_MADE_SHARED } from '../../ranking/tallies/made.js';

/** Posts, their pictures and what they said before. */
export const posts: Capability = {
  name: 'posts',
  entities: [Post, PostVersion, PostPicture],
  ownFields: { posts: Post },
  tables: {
    posts: {
      shown: [
        'id',
        'author_id',
        'body',
        'version',
        'created_at',
        'edited_at',
        'deleted_at',
        'removal',
        'spans',
        'reading',
        'pictures',
      ],
      filled: true,
      exported: {
        key: ['id'],
        anew: readHere('posts'),
        after: ['blocks'],
        derived: ['pictures'],
        counted: { by: ['id'], own: COUNT_MADE_OWN, shared: COUNT_MADE_SHARED },
      },
    },
    post_pictures: {
      shown: ['post_id', 'position', 'upload_id', 'alt'],
      exported: { key: ['post_id', 'position'] },
    },
    post_versions: { shown: ['post_id', 'version', 'created_at'], exported: { key: ['post_id', 'version'] } },
  },
  checks: [
    {
      name: 'posts-of-the-future',
      means: 'a post was made in the future, and would stand above all others until then',
      sql: `SELECT id::text, created_at::text AS found, 'not after now' AS should FROM posts WHERE created_at > clock_timestamp() + interval '1 minute'`,
    },
    orphans('posts', 'author_id', 'users'),
    orphans('post_pictures', 'post_id', 'posts'),
    orphans('post_pictures', 'upload_id', 'uploads'),
    orphans('post_versions', 'post_id', 'posts'),
    {
      name: 'pictures-of-others',
      means: 'a post shows a picture that somebody else uploaded',
      sql: `SELECT p.id::text, u.user_id::text AS found, p.author_id::text AS should FROM post_pictures t JOIN posts p ON p.id = t.post_id JOIN uploads u ON u.id = t.upload_id WHERE u.user_id <> p.author_id`,
    },
    SHOWN_PICTURES,
    {
      name: 'posts-of-nothing',
      means: 'a post has neither text nor pictures',
      sql: `SELECT p.id::text, 'nothing' AS found, 'text or pictures' AS should FROM posts p WHERE p.body = '' AND NOT EXISTS (SELECT FROM post_pictures t WHERE t.post_id = p.id)`,
    },
    {
      name: 'versions-ahead',
      means: 'what a post said before is kept under the number of what it says now, so no edit of it succeeds',
      repair: REPAIR_VERSIONS,
      sql: `SELECT p.id::text, max(v.version)::text AS found, 'below ' || p.version AS should
      FROM post_versions v JOIN posts p ON p.id = v.post_id WHERE v.version >= p.version GROUP BY p.id`,
    },
  ],
  trials: TRIALS,
  start(house) {
    const { database, pages, address, config } = house;
    const all = house.add(new Posts(database, pages, address, config.model));
    const [users, idempotent] = [house.get(Users), house.get(IdempotentCalls)];
    return {
      owners: { post: (reference, caller) => all.owned(readId(reference, 'post'), caller) },
      routes: async (app) =>
        (await import('./routes.js')).postRoutes(app, {
          posts: all,
          users,
          lists: house.get(Lists),
          idempotent,
          address,
          config,
        }),
    };
  },
};
