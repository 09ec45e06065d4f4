import { Box, Card, Link, Typography } from '@mui/material';
import type { WeightingTrial } from '@gather-lane/client';
import { Link as RouterLink } from 'react-router';
import { Empty } from '../common/states';
import { Ago } from '../common/time';
import { percent } from './numbers';

type Viewer = NonNullable<WeightingTrial['viewer']>;
type Post = Viewer['posts'][number];

const ROW = 40;

/** One viewer's feed as it is and as it would be, with a line for each post from its place now to its place then. */
export function Slope({ viewer }: { viewer: Viewer }) {
  const { posts, change, handle } = viewer;
  if (posts.length === 0)
    return <Empty title={`The feed of @${handle} is empty`}>Choose somebody who follows others.</Empty>;
  const side = (which: 'now' | 'then') =>
    posts.filter((post) => post[which]).sort((a, b) => a[which]!.rank - b[which]!.rank);
  const height = ROW * Math.max(side('now').length, side('then').length);
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2">The feed of @{handle}, now and then</Typography>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        {percent(change.kept)} of the first page stays; rank correlation {change.correlation.toFixed(2)}.
      </Typography>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: 'minmax(0, 1fr) 36px minmax(0, 1fr)', md: '1fr 110px 1fr' },
          alignItems: 'start',
        }}
      >
        <Column posts={side('now')} which="now" title="Now" />
        <svg
          width="100%"
          height={height + ROW}
          viewBox={`0 0 100 ${height + ROW}`}
          preserveAspectRatio="none"
          aria-hidden
          style={{ display: 'block' }}
        >
          {posts.map((post) => (
            <Line key={post.id} post={post} height={height} />
          ))}
        </svg>
        <Column posts={side('then')} which="then" title="Then" />
      </Box>
    </Card>
  );
}

/** Where a rank stands on the drawing; what is not that high lies below its foot. */
const middle = (rank: number): number => ROW + (rank - 0.5) * ROW;

function Line({ post, height }: { post: Post; height: number }) {
  const foot = height + ROW;
  const [from, to] = [post.now ? middle(post.now.rank) : foot, post.then ? middle(post.then.rank) : foot];
  const up = to < from;
  const colour = to === from ? 'divider' : up ? 'primary-main' : 'secondary-main';
  return (
    <path
      d={`M2 ${from} C 45 ${from} 55 ${to} 98 ${to}`}
      fill="none"
      stroke={`var(--mui-palette-${colour})`}
      strokeWidth={to === from ? 1 : 1.75}
      strokeDasharray={post.now && post.then ? undefined : '4 3'}
      vectorEffect="non-scaling-stroke"
    />
  );
}

function Column({ posts, which, title }: { posts: Post[]; which: 'now' | 'then'; title: string }) {
  return (
    <Box
      component="ol"
      aria-label={`The feed ${title.toLowerCase()}`}
      sx={{ m: 0, p: 0, listStyle: 'none', minWidth: 0 }}
    >
      <Box component="li" sx={{ height: ROW, display: 'flex', alignItems: 'center' }}>
        <Typography variant="body2" sx={{ fontWeight: 700 }}>
          {title}
        </Typography>
      </Box>
      {posts.map((post) => (
        <Row key={post.id} post={post} which={which} />
      ))}
    </Box>
  );
}

function Row({ post, which }: { post: Post; which: 'now' | 'then' }) {
  const other = which === 'now' ? post.then : post.now;
  const place = post[which]!;
  const moved = post.now && post.then ? post.now.rank - post.then.rank : null;
  const said =
    moved === null ? (which === 'then' ? 'new' : 'gone') : moved === 0 ? '' : moved > 0 ? `▲${moved}` : `▼${-moved}`;
  const tone = other === null || moved === null ? 'text.secondary' : moved > 0 ? 'primary.main' : 'secondary.main';
  return (
    <Box
      component="li"
      sx={{ height: ROW, display: 'flex', gap: 1, alignItems: 'center', borderTop: 1, borderColor: 'divider' }}
    >
      <Typography variant="body2" color="text.secondary" sx={{ width: 20, textAlign: 'right', flexShrink: 0 }}>
        {place.rank}
      </Typography>
      <Box sx={{ minWidth: 0, flexGrow: 1, lineHeight: 1.15 }}>
        <Link
          component={RouterLink}
          to={`/posts/${post.id}`}
          color="text.primary"
          title={post.text}
          sx={{
            display: 'block',
            overflow: 'hidden',
            textOverflow: 'ellipsis',
            whiteSpace: 'nowrap',
            fontSize: '0.86rem',
          }}
        >
          {post.text || 'Pictures'}
        </Link>
        <Typography variant="caption" color="text.secondary" noWrap component="div" sx={{ lineHeight: 1.2 }}>
          lift {place.lift.toFixed(2)} · <Ago instant={post.createdAt} /> · @{post.handle}
        </Typography>
      </Box>
      {which === 'then' && (
        <Typography
          variant="body2"
          sx={{ color: tone, fontWeight: 600, width: { xs: 'auto', md: 38 }, textAlign: 'right', flexShrink: 0 }}
        >
          {said}
        </Typography>
      )}
    </Box>
  );
}
