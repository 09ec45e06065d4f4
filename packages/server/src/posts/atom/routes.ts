import { Feed } from 'feed';
import { Type } from 'typebox';
import { escapeHtml } from '../../ground/http/html-page.js';
import type { App } from '../../ground/http/app-type.js';
import { replies } from '../../ground/http/replies.js';
import { userParam } from '../../ground/http/schemas.js';
import type { Lists } from '../../ground/standbys/lists.js';
import { seenHeaders } from '../../ground/standbys/seen.js';
import type { PostView } from '../posts/schema.js';
import type { Posts } from '../posts/service.js';
import type { Users } from '../../accounts/users/service.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import type { UserView } from '../../accounts/users/schema.js';

/** What these are made of. */
interface Needs {
  readonly posts: Posts;
  readonly users: Users;
  readonly lists: Lists;
  readonly address: PublicAddress;
}

const ENTRIES = 50;
const TITLE_CHARACTERS = 80;

/** Users' posts, as far as the caller may see them, as Atom (RFC 4287), for feed readers. */
export function atomRoutes(app: App, { posts, users, lists, address }: Needs): void {
  const atom = { description: 'An Atom feed', content: { 'application/atom+xml': { schema: Type.String() } } };
  app.get(
    '/v1/users/:user/posts.atom',
    {
      config: { doorway: 'anyone' },
      schema: {
        operationId: 'readUserAtom',
        tags: ['posts'],
        summary: 'One user’s latest posts as Atom',
        params: userParam,
        headers: seenHeaders,
        response: replies({ 200: atom as never }, ['not-found']),
      },
    },
    async (request, reply) => {
      const { caller } = request.principal;
      const user = await users.view(await users.require(request.params.user, caller), caller);
      const { items } = await lists.read(request, reply, (at) =>
        posts.list('newest', user.id, { limit: ENTRIES }, caller, at),
      );
      return reply.type('application/atom+xml; charset=utf-8').send(toAtom(user, items, (path) => address.to(path)));
    },
  );
}

/** The feed of a user's posts; `to` makes absolute addresses. */
export function toAtom(user: UserView, posts: PostView[], to: (path: string) => string): string {
  const page = to(`/users/@${user.handle}`);
  const author = { name: safe(user.name), link: page };
  const latest =
    posts
      .map((post) => post.editedAt ?? post.createdAt)
      .sort()
      .at(-1) ?? user.createdAt;
  const feed = new Feed({
    id: `urn:uuid:${user.id}`,
    title: `${safe(user.name)} (@${user.handle})`,
    ...(user.bio && { description: safe(user.bio) }),
    link: page,
    feedLinks: { atom: to(`/v1/users/${user.id}/posts.atom`) },
    author,
    updated: new Date(latest),
    generator: 'Gather Lane',
    copyright: '',
  });
  for (const post of posts)
    feed.addItem({
      id: `urn:uuid:${post.id}`,
      title: escapeHtml(titleOf(post.body)),
      link: to(`/posts/${post.id}`),
      date: new Date(post.editedAt ?? post.createdAt),
      published: new Date(post.createdAt),
      content: `<p>${contentOf(post, to)}</p>`,
      author: [author],
      category: categoriesOf(post),
    });
  return feed.atom1();
}

/** The text as HTML, with what it names as links. */
function contentOf({ body, spans }: PostView, to: (path: string) => string): string {
  const html = (text: string) => escapeHtml(safe(text)).replaceAll('\n', '<br>');
  let [out, at] = ['', 0];
  for (const { utf16From, utf16To, hashtag, user, url } of spans) {
    const address = url ?? to(hashtag === undefined ? `/users/${user}` : `/hashtags/${encodeURIComponent(hashtag)}`);
    out += `${html(body.slice(at, utf16From))}<a href="${escapeHtml(address)}">${html(body.slice(utf16From, utf16To))}</a>`;
    at = utf16To;
  }
  return out + html(body.slice(at));
}

/** Its hashtags, each once: the form that is compared as the term, as it was written as the label. */
function categoriesOf({ body, spans }: PostView) {
  const labels = new Map<string, string>();
  for (const { hashtag, utf16From, utf16To } of spans)
    if (hashtag !== undefined && !labels.has(hashtag)) labels.set(hashtag, safe(body.slice(utf16From + 1, utf16To)));
  return [...labels].map(([term, name]) => ({ term, name }));
}

/** Characters that XML 1.0 cannot hold at all become the replacement character. */
// eslint-disable-next-line no-control-regex
const safe = (text: string): string => text.replace(/[\u0000-\u0008\u000B\u000C\u000E-\u001F\uFFFE\uFFFF]/g, '\uFFFD');

function titleOf(body: string): string {
  const line = safe(body).trim().split('\n')[0]!;
  const characters = [...new Intl.Segmenter('en').segment(line)].map(({ segment }) => segment);
  return characters.length > TITLE_CHARACTERS ? `${characters.slice(0, TITLE_CHARACTERS - 1).join('')}…` : line;
}
