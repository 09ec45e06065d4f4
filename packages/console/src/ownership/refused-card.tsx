import { Card, Link, Table, TableBody, TableCell, TableHead, TableRow, Typography, useTheme } from '@mui/material';
import { BarChart } from '@mui/x-charts/BarChart';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { api, unwrap } from '../api';
import { Failed } from '../common/states';
import { Ago } from '../common/time';

const HOURS = 48;
/** Ticks at noon and midnight, by the clock of whoever looks. */
const everyTwelfth = (instant: string): boolean => new Date(instant).getHours() % 12 === 0;
const hourOf = (instant: string) =>
  new Date(instant).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });

/** What was tried on other people's things lately, and refused: over time, and by user and route. */
export function RefusedCard() {
  const theme = useTheme();
  const refused = useQuery({
    queryKey: ['refused'],
    refetchInterval: 30_000,
    queryFn: async () =>
      unwrap(await api.GET('/v1/operator/refused-attempts', { params: { query: { hours: HOURS } } })),
  });
  const total = refused.data?.hours.reduce((sum, { attempts }) => sum + attempts, 0) ?? 0;
  return (
    <Card component="section" aria-label="Refused attempts" sx={{ p: 2 }}>
      <Typography variant="h2">Refused attempts</Typography>
      <Typography color="text.secondary">
        Calls on somebody else’s things in the last {HOURS} hours: {total}.
      </Typography>
      {refused.isError && <Failed error={refused.error} retry={() => void refused.refetch()} />}
      {refused.data && total === 0 && (
        <Typography sx={{ mt: 1.5 }}>
          None. Act as one user and delete a post of another through the API: it will be refused, and noted here.
        </Typography>
      )}
      {refused.data && total > 0 && (
        <>
          <BarChart
            height={190}
            hideLegend
            dataset={refused.data.hours}
            xAxis={[
              {
                dataKey: 'hour',
                scaleType: 'band',
                valueFormatter: hourOf,
                tickInterval: everyTwelfth,
                tickLabelInterval: everyTwelfth,
                height: 32,
              },
            ]}
            yAxis={[{ tickMinStep: 1, width: 32 }]}
            series={[{ dataKey: 'attempts', label: 'attempts', color: theme.vars!.palette.secondary.main }]}
            margin={{ top: 16, bottom: 4, left: 0, right: 16 }}
          />
          <Table size="small" sx={{ mt: 1 }}>
            <TableHead>
              <TableRow>
                <TableCell>Who</TableCell>
                <TableCell>Route</TableCell>
                <TableCell align="right">Attempts</TableCell>
                <TableCell align="right">Things</TableCell>
                <TableCell>Last</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {refused.data.routes.map(({ handle, route, attempts, things, lastAt }) => (
                <TableRow key={handle + route}>
                  <TableCell>
                    <Link component={RouterLink} to={`/users/@${handle}`}>
                      @{handle}
                    </Link>
                  </TableCell>
                  <TableCell>{route}</TableCell>
                  <TableCell align="right">{attempts}</TableCell>
                  <TableCell align="right">{things}</TableCell>
                  <TableCell>
                    <Ago instant={lastAt} />
                  </TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </>
      )}
    </Card>
  );
}
