import { Box, Link, Skeleton, Stack, Typography } from '@mui/material';
import type { Place } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { inUtc, sayMove } from '../common/time';
import { useSession } from '../session/session';

/** Why a post stands where it stands in the feed of whoever the console acts as, or why it is not there. */
export function PlacePanel({ post, laneTime }: { post: string; laneTime: string }) {
  const { session } = useSession();
  const place = useQuery({
    // Asked anew when the post has moved.
    queryKey: ['place', post, session?.id, laneTime],
    queryFn: async () => unwrap(await api.GET('/v1/feeds/following/places/{post}', { params: { path: { post } } })),
  });
  return (
    <Box sx={{ mt: 1.5, p: 1.5, bgcolor: 'background.default', borderRadius: 1, border: 1, borderColor: 'divider' }}>
      {place.isPending && <Skeleton height={90} />}
      {place.isError && <Failed error={place.error} retry={() => void place.refetch()} />}
      {place.data && <Typography>{place.data.sentence}</Typography>}
      {place.data?.place && <Numbers place={place.data.place} />}
      {place.data?.inFeed && (
        <Typography variant="body2" sx={{ mt: 1 }}>
          {place.data.above ? (
            <>
              {place.data.above.sentence}{' '}
              <Link component={RouterLink} to={`/posts/${place.data.above.postId}`}>
                See that post
              </Link>
            </>
          ) : (
            'It stands on top of the feed.'
          )}
        </Typography>
      )}
    </Box>
  );
}

const DID: Record<string, string> = { comment: 'commented', like: 'liked it', dislike: 'disliked it' };

function Numbers({ place }: { place: Place }) {
  const moved = Date.parse(place.laneTime) - Date.parse(place.createdAt);
  return (
    <>
      <LaneLine place={place} moved={moved} />
      <Stack direction="row" component="dl" sx={{ m: 0, columnGap: 3, rowGap: 0.5, flexWrap: 'wrap' }}>
        <Fact name="Lift" value={`${place.lift} half-lives of ${place.halfLifeMs / 3_600_000} h`} />
        {place.parts.map(({ kind, people, weight }) => (
          <Fact
            key={kind}
            name={`People who ${DID[kind] ?? `reacted with ${kind}`}`}
            value={`${people} × weight ${weight}`}
          />
        ))}
        {place.follows && (
          <Fact name={`You follow @${place.follows.handle} since`} value={inUtc(place.follows.since)} />
        )}
        <Fact name="Weighting" value={`version ${place.weighting}`} />
      </Stack>
    </>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <Typography component="dt" variant="caption" color="text.secondary">
        {name}
      </Typography>
      <Typography component="dd" variant="body2" sx={{ m: 0 }}>
        {value}
      </Typography>
    </div>
  );
}

/** From where the post was made to where it stands. */
function LaneLine({ place, moved }: { place: Place; moved: number }) {
  const [from, to] = moved >= 0 ? [12, 88] : [88, 12];
  const same = moved === 0;
  return (
    <Box sx={{ my: 1 }}>
      <svg
        width="100%"
        height="22"
        role="img"
        aria-label={same ? 'It stands at its creation time' : `Moved ${sayMove(moved)}`}
      >
        <line x1="0" x2="100%" y1="11" y2="11" stroke="var(--mui-palette-divider)" />
        {!same && (
          <line
            x1={`${from}%`}
            x2={`${to}%`}
            y1="11"
            y2="11"
            stroke="var(--mui-palette-secondary-main)"
            strokeWidth="3"
          />
        )}
        {!same && (
          <circle
            cx={`${from}%`}
            cy="11"
            r="5"
            fill="var(--mui-palette-background-default)"
            stroke="var(--mui-palette-text-secondary)"
            strokeWidth="1.5"
          />
        )}
        <circle cx={same ? '50%' : `${to}%`} cy="11" r="6" fill="var(--mui-palette-primary-main)" />
      </svg>
      <Stack
        direction="row"
        sx={{ justifyContent: same ? 'center' : 'space-between', flexDirection: moved < 0 ? 'row-reverse' : 'row' }}
      >
        {!same && <Typography variant="caption">posted {inUtc(place.createdAt)}</Typography>}
        {!same && (
          <Typography variant="caption" color="secondary" sx={{ fontWeight: 700 }}>
            {sayMove(moved)}
          </Typography>
        )}
        <Typography variant="caption">
          stands at {inUtc(place.laneTime)}
          {same && ', when it was posted'}
        </Typography>
      </Stack>
    </Box>
  );
}
