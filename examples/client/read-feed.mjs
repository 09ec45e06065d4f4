// A whole client: signs in, renews its session when it has expired, reads a feed page by page, edits a post without undoing
// anybody else's edit, and tells what was refused. Run it beside the demo: node read-feed.mjs
import { randomUUID } from 'node:crypto';
import { createClient, ServiceProblem, ServiceTooSlow, ServiceUnreachable, unwrap } from '@gather-lane/client';

const address = process.env.GATHER_LANE_ADDRESS ?? 'http://127.0.0.1:7461';
let session = null;

const client = createClient({
  address,
  // Asked before every call.
  token: () => session?.accessToken ?? null,
  // Asked once when a call was refused for want of a good token; true has the call made again.
  async renew() {
    if (session === null) return false;
    const { data } = await createClient({ address }).POST('/v1/sessions/refresh', {
      body: { refreshToken: session.refreshToken },
    });
    session = data ?? null;
    return session !== null;
  },
});

/** Every post of the following feed, page by page: a page names the next one until there is none. */
async function* feed(order) {
  let after;
  do {
    const page = unwrap(
      await client.GET('/v1/feeds/following', { params: { query: { order, limit: 50, ...(after && { after }) } } }),
    );
    yield* page.items;
    after = page.next;
  } while (after);
}

/** Edits a post on top of the version that was read. When somebody was faster it reads again, and lets `change` decide anew. */
async function edit(id, change) {
  for (;;) {
    const post = unwrap(await client.GET('/v1/posts/{post}', { params: { path: { post: id } } }));
    try {
      return unwrap(
        await client.PATCH('/v1/posts/{post}', {
          params: { path: { post: id } },
          body: { body: change(post) },
          headers: { 'if-match': `"${post.version}"` },
        }),
      );
    } catch (error) {
      if (!(error instanceof ServiceProblem) || error.code !== 'stale') throw error;
    }
  }
}

try {
  session = unwrap(await client.POST('/v1/sessions', { body: { login: 'odile', password: 'tidewick-demo' } }));

  // Sent again with the same key, as after a lost reply, it makes nothing anew.
  const headers = { 'idempotency-key': randomUUID() };
  const post = unwrap(await client.POST('/v1/posts', { body: { body: 'Moored below Candle Lock.' }, headers }));
  const again = unwrap(await client.POST('/v1/posts', { body: { body: 'Moored below Candle Lock.' }, headers }));
  console.log(again.id === post.id ? 'Posted once.' : 'Posted twice!');

  const edited = await edit(post.id, ({ body }) => `${body} #moorings`);
  console.log(`Edited: ${edited.body}`);

  let read = 0;
  for await (const item of feed('score')) if (read++ === 0) console.log(`On top: @${item.author.handle}`);
  console.log(`${read} posts in the feed.`);

  // An expired access token is renewed by itself.
  session = { ...session, accessToken: 'expired' };
  console.log(`Still @${unwrap(await client.GET('/v1/me')).handle}.`);

  const [theirs] = unwrap(await client.GET('/v1/users/{user}/posts', { params: { path: { user: '@bram' } } })).items;
  unwrap(await client.DELETE('/v1/posts/{post}', { params: { path: { post: theirs.id } } }));
} catch (error) {
  if (error instanceof ServiceProblem) console.log(`Refused (${error.status} ${error.code}): ${error.message}`);
  else if (error instanceof ServiceTooSlow) console.log(`Not known whether it was done: ${error.message}`);
  else if (error instanceof ServiceUnreachable) console.log(error.message);
  else throw error;
}
