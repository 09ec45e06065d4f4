import { Box, Typography } from '@mui/material';

const day = (iso: string): string =>
  new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' });

/** A bar for each of the last thirty days. */
export function PostsPerDay({ days }: { days: { day: string; posts: number }[] }) {
  const most = Math.max(1, ...days.map(({ posts }) => posts));
  const total = days.reduce((sum, { posts }) => sum + posts, 0);
  return (
    <Box role="img" aria-label={`${total} posts in thirty days, at most ${most} on one`} sx={{ mt: 1.5 }}>
      <Box
        sx={{ display: 'flex', alignItems: 'end', gap: '3px', height: 170, borderBottom: 1, borderColor: 'divider' }}
      >
        {days.map(({ day: iso, posts }) => (
          <Box
            key={iso}
            title={`${day(iso)}: ${posts}`}
            sx={{
              flex: 1,
              height: `${(posts / most) * 100}%`,
              minHeight: posts > 0 ? 2 : 0,
              bgcolor: 'primary.main',
              borderRadius: '2px 2px 0 0',
            }}
          />
        ))}
      </Box>
      <Box sx={{ display: 'flex', justifyContent: 'space-between' }}>
        <Typography variant="caption" color="text.secondary">
          {day(days[0]!.day)}
        </Typography>
        <Typography variant="caption" color="text.secondary">
          most {most} a day
        </Typography>
        <Typography variant="caption" color="text.secondary">
          {day(days.at(-1)!.day)}
        </Typography>
      </Box>
    </Box>
  );
}
