import { Box, Stack, Typography } from '@mui/material';
import type { Place } from '@gather-lane/client';
import { readInstant, readMove } from '../common/time';

/** Why a post stands where it stands: the sentence, the numbers, and how far it moved. */
export function PlacePanel({ place }: { place: Place }) {
  const moved = Date.parse(place.laneTime) - Date.parse(place.createdAt);
  return (
    <Box sx={{ mt: 1.5, p: 1.5, bgcolor: 'background.default', borderRadius: 1, border: 1, borderColor: 'divider' }}>
      <Typography>{place.sentence}</Typography>
      <LaneLine place={place} moved={moved} />
      <Stack direction="row" component="dl" sx={{ m: 0, columnGap: 3, rowGap: 0.5, flexWrap: 'wrap' }}>
        <Fact name="Lift" value={`${place.lift} half-lives of ${place.halfLifeMs / 3_600_000} h`} />
        {place.parts.map(({ kind, people, weight }) => (
          <Fact
            key={kind}
            name={`People who ${kind === 'comment' ? 'commented' : kind}`}
            value={`${people} × weight ${weight}`}
          />
        ))}
        {place.follows && (
          <Fact name={`You follow @${place.follows.handle} since`} value={readInstant(place.follows.since)} />
        )}
        <Fact name="Weighting" value={`version ${place.weighting}`} />
      </Stack>
    </Box>
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
        aria-label={same ? 'It stands at its creation time' : `Moved ${readMove(moved)}`}
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
        {!same && <Typography variant="caption">posted {readInstant(place.createdAt)}</Typography>}
        {!same && (
          <Typography variant="caption" color="secondary" sx={{ fontWeight: 700 }}>
            {readMove(moved)}
          </Typography>
        )}
        <Typography variant="caption">
          stands at {readInstant(place.laneTime)}
          {same && ', when it was posted'}
        </Typography>
      </Stack>
    </Box>
  );
}
