import { Box, Typography } from '@mui/material';
import type { Activity } from '@gather-lane/client';
import { sayDuration } from '@gather-lane/words';

/** A bar for each part of the time: all calls, and of them those that were not answered well. */
export function CallsOverTime({ parts, seconds }: { parts: Activity['parts']; seconds: number }) {
  const most = Math.max(1, ...parts.map(({ calls }) => calls));
  const part = sayDuration((seconds / parts.length) * 1000);
  return (
    <Box role="img" aria-label={`Calls over time, at most ${most} in ${part}`}>
      <Box sx={{ display: 'flex', alignItems: 'end', gap: '3px', height: 90, borderBottom: 1, borderColor: 'divider' }}>
        {parts.map(({ calls, errors }, i) => (
          <Box
            key={i}
            title={`${calls} calls, ${errors} of them not answered well`}
            sx={{
              flex: 1,
              height: `${(calls / most) * 100}%`,
              minHeight: calls > 0 ? 2 : 0,
              display: 'flex',
              flexDirection: 'column',
              borderRadius: '2px 2px 0 0',
              overflow: 'hidden',
            }}
          >
            <Box sx={{ flex: errors, bgcolor: 'secondary.main' }} />
            <Box sx={{ flex: calls - errors, bgcolor: 'primary.main' }} />
          </Box>
        ))}
      </Box>
      <Box sx={{ display: 'flex', justifyContent: 'space-between', gap: 2 }}>
        <Typography variant="caption" color="text.secondary">
          {sayDuration(seconds * 1000)} ago
        </Typography>
        <Typography variant="caption" color="text.secondary">
          at most {most} in {part}; brass: 4xx, 5xx, cut off
        </Typography>
        <Typography variant="caption" color="text.secondary">
          now
        </Typography>
      </Box>
    </Box>
  );
}
