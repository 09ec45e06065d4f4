import {
  Box,
  Button,
  Card,
  Skeleton,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  Typography,
  useTheme,
} from '@mui/material';
import { ScatterChart } from '@mui/x-charts/ScatterChart';
import type { FeedInspection, FeedOrder } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { isForOperator } from '../session/operator-only';
import { useSession } from '../session/session';

const HOUR = 3_600_000;

/** How the first page of a viewer's feed is read: statements, times, the plan, and where its posts stand. */
export function InspectionPanel({ viewer, order }: { viewer: string; order: FeedOrder }) {
  const { askOperatorKey } = useSession();
  const inspection = useQuery({
    queryKey: ['inspection', viewer, order],
    queryFn: async () =>
      unwrap(
        await api.GET('/v1/operator/feeds/{user}/inspection', { params: { path: { user: viewer }, query: { order } } }),
      ),
  });
  const locked = isForOperator(inspection.error);
  return (
    <Card component="section" aria-label="How this page is read" sx={{ p: 2 }}>
      <Stack direction="row" sx={{ gap: 1, alignItems: 'center', mb: 1 }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          How this page is read
        </Typography>
        {!locked && (
          <Button loading={inspection.isFetching} onClick={() => void inspection.refetch()}>
            Again
          </Button>
        )}
      </Stack>
      {locked && (
        <Typography color="text.secondary">
          Statements and plans are for the operator. <Button onClick={askOperatorKey}>Give the key</Button>
        </Typography>
      )}
      {inspection.isPending && <Skeleton variant="rounded" height={240} />}
      {inspection.isError && !locked && <Failed error={inspection.error} retry={() => void inspection.refetch()} />}
      {inspection.data && <Inspected inspection={inspection.data} />}
    </Card>
  );
}

function Inspected({ inspection }: { inspection: FeedInspection }) {
  const { statements, ms, plan, posts } = inspection;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography>
        {statements.length === 1 ? 'One statement' : `${statements.length} statements`}, {ms} ms in all; the first also
        looks whether the session is alive.
      </Typography>
      <Lanes posts={posts} />
      {statements.map(({ does, sql, ms: spent, rows }) => (
        <Box component="details" key={does}>
          <Typography component="summary" sx={{ cursor: 'pointer', fontWeight: 600 }}>
            {does}: {spent} ms, {rows} rows
          </Typography>
          <Box
            component="pre"
            tabIndex={0}
            sx={{
              m: 0,
              mt: 1,
              p: 1.5,
              bgcolor: 'background.default',
              borderRadius: 1,
              overflow: 'auto',
              maxHeight: 320,
              fontSize: '0.75rem',
            }}
          >
            {sql}
          </Box>
        </Box>
      ))}
      <Plan plan={plan} />
    </Stack>
  );
}

/** The posts of the page by when they were made and where they stand. */
function Lanes({ posts }: { posts: FeedInspection['posts'] }) {
  const theme = useTheme();
  if (posts.length === 0) return <Typography color="text.secondary">The page is empty.</Typography>;
  const newest = Math.max(
    ...posts.map(({ laneTime }) => Date.parse(laneTime)),
    ...posts.map(({ createdAt }) => Date.parse(createdAt)),
  );
  const before = (instant: string) => (Date.parse(instant) - newest) / HOUR;
  const least = Math.min(...posts.map(({ createdAt }) => before(createdAt)));
  return (
    <Box>
      <Typography variant="body2" color="text.secondary">
        Across: when each post was made; up: where it stands, both in hours before the latest of them. Above the line it
        was carried ahead.
      </Typography>
      <ScatterChart
        height={230}
        series={[
          {
            label: 'Posts',
            data: posts.map(({ id, createdAt, laneTime }) => ({ id, x: before(createdAt), y: before(laneTime) })),
            markerSize: 4,
            color: theme.vars!.palette.primary.main,
          },
          {
            label: 'Not moved',
            data: Array.from({ length: 40 }, (_, i) => ({ id: `line ${i}`, x: (least * i) / 39, y: (least * i) / 39 })),
            markerSize: 1,
            color: theme.vars!.palette.secondary.main,
          },
        ]}
        xAxis={[{ height: 28 }]}
        yAxis={[{ width: 40 }]}
        margin={{ top: 12, bottom: 4, left: 0, right: 12 }}
      />
    </Box>
  );
}

function Plan({ plan }: { plan: FeedInspection['plan'] }) {
  const longest = Math.max(...plan.map(({ ms }) => ms), 0.001);
  return (
    <Box>
      <Typography sx={{ fontWeight: 600 }}>The plan of the page, as it ran</Typography>
      <Box sx={{ overflow: 'auto', maxHeight: 420 }} tabIndex={0}>
        <Table
          size="small"
          stickyHeader
          sx={{ '& td, & th': { px: 0.75, py: 0.4, fontSize: '0.8rem', lineHeight: 1.25 } }}
        >
          <TableHead>
            <TableRow>
              <TableCell>Step</TableCell>
              <TableCell align="right">ms</TableCell>
              <TableCell align="right">Rows</TableCell>
              <TableCell align="right">Left out</TableCell>
              <TableCell align="right">Loops</TableCell>
              <TableCell align="right">Blocks</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {plan.map((step, i) => (
              <TableRow key={i} sx={{ opacity: step.loops === 0 ? 0.55 : 1 }}>
                <TableCell sx={{ '&&': { pl: 0.75 + step.depth * 0.9 } }}>
                  {step.part && <strong>{step.part}: </strong>}
                  {step.does}
                  {step.loops === 0 && ' (not needed)'}
                </TableCell>
                <TableCell
                  align="right"
                  sx={{
                    background: (t) =>
                      `linear-gradient(to left, color-mix(in srgb, ${t.vars!.palette.secondary.main} 26%, transparent) ${(100 * step.ms) / longest}%, transparent 0)`,
                  }}
                >
                  {step.ms.toFixed(2)}
                </TableCell>
                <TableCell align="right">{step.rows}</TableCell>
                <TableCell align="right">{step.removed || ''}</TableCell>
                <TableCell align="right">{step.loops}</TableCell>
                <TableCell align="right">{step.blocks}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </Box>
    </Box>
  );
}
