import { Box, Card, Stack, Table, TableBody, TableCell, TableHead, TableRow, Typography } from '@mui/material';
import type { CallOutcomes } from '@gather-lane/client';
import { callerName, type CallerChoice } from './draft';
import { StatusChip } from './status-chip';

type Outcome = CallOutcomes['outcomes'][number];

/** The same call as each of several callers, side by side: what each met, what of the body differs, which rows it changed. */
export function Comparison({ outcomes }: { outcomes: readonly Outcome[] }) {
  const first = outcomes.find(({ status }) => status !== null && status < 400) ?? outcomes[0];
  const tables = [...new Set(outcomes.flatMap(({ trace }) => Object.keys(trace?.counts ?? {})))];
  const values = [...new Set(outcomes.flatMap(({ body }) => Object.keys(flat(body))))].filter(
    (at) =>
      at !== 'instance' &&
      new Set(outcomes.filter(({ says }) => says === null).map(({ body }) => flat(body)[at])).size > 1,
  );
  const shown = values.slice(0, 40);
  return (
    <Stack sx={{ gap: 1, minWidth: 0 }}>
      <Typography variant="h2">Same call, side by side</Typography>
      <Card sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="Same call, side by side">
        <Table size="small" sx={{ '& td, & th': { py: 0.5, px: 1, fontSize: 13, verticalAlign: 'top' } }}>
          <TableHead>
            <TableRow>
              <TableCell />
              {outcomes.map((outcome, i) => (
                <TableCell key={i} sx={{ minWidth: 120 }}>
                  {callerName({ as: outcome.as as CallerChoice['as'], user: `@${outcome.handle ?? ''}` })}
                </TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            <Line name="Status">
              {outcomes.map(({ says, status }, i) => (
                <TableCell key={i}>
                  {says === null ? (
                    <StatusChip status={status} />
                  ) : (
                    <Typography variant="body2" color="text.secondary">
                      {says}
                    </Typography>
                  )}
                </TableCell>
              ))}
            </Line>
            <Line name="Time">
              {outcomes.map(({ trace }, i) => (
                <TableCell key={i}>
                  {trace
                    ? `${trace.ms.toFixed(1)} ms, ${trace.statements.length + trace.moreStatements} statements`
                    : ''}
                </TableCell>
              ))}
            </Line>
            <Heading of={outcomes.length}>
              {tables.length === 0 ? 'Nobody changed a row' : 'Rows changed, then rolled back'}
            </Heading>
            {tables.map((table) => (
              <Line key={table} name={table}>
                {outcomes.map(({ trace }, i) => (
                  <TableCell key={i}>{countOf(trace?.counts[table])}</TableCell>
                ))}
              </Line>
            ))}
            <Heading of={outcomes.length}>
              {shown.length === 0 ? 'The bodies are alike' : 'What of the body differs'}
            </Heading>
            {shown.map((at) => (
              <Line key={at} name={at}>
                {outcomes.map(({ body, says }, i) => {
                  const value = flat(body)[at];
                  const same = value === flat(first?.body)[at];
                  return (
                    <TableCell
                      key={i}
                      title={value}
                      sx={{
                        overflowWrap: 'anywhere',
                        ...(!same && says === null && { bgcolor: 'action.selected', fontWeight: 600 }),
                      }}
                    >
                      {says !== null
                        ? ''
                        : (shortened(at, value) ?? (
                            <Box component="span" sx={{ color: 'text.secondary' }}>
                              –
                            </Box>
                          ))}
                    </TableCell>
                  );
                })}
              </Line>
            ))}
          </TableBody>
        </Table>
      </Card>
      {values.length > shown.length && (
        <Typography color="text.secondary">and {values.length - shown.length} values more</Typography>
      )}
    </Stack>
  );
}

function Line({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <TableRow>
      <TableCell component="th" scope="row" sx={{ color: 'text.secondary', whiteSpace: 'nowrap', fontWeight: 400 }}>
        {name}
      </TableCell>
      {children}
    </TableRow>
  );
}

function Heading({ of, children }: { of: number; children: React.ReactNode }) {
  return (
    <TableRow>
      <TableCell colSpan={of + 1} sx={{ fontWeight: 650, pt: 1.5 }}>
        {children}
      </TableCell>
    </TableRow>
  );
}

const countOf = (counts: { inserted: number; changed: number; deleted: number } | undefined): string =>
  counts
    ? [
        counts.inserted && `+${counts.inserted}`,
        counts.changed && `~${counts.changed}`,
        counts.deleted && `−${counts.deleted}`,
      ]
        .filter(Boolean)
        .join(' ')
    : '';

/** The type of a problem by its last part; other values by their beginning. */
const shortened = (at: string, value: string | undefined): string | undefined =>
  at === 'type'
    ? value?.split('/').at(-1)
    : value !== undefined && value.length > 90
      ? `${value.slice(0, 89)}…`
      : value;

/** The plain values of a body, by where they stand. */
function flat(value: unknown, at = ''): Record<string, string> {
  if (typeof value !== 'object' || value === null)
    return at === '' ? {} : { [at]: value === undefined ? '' : String(value) };
  return Object.assign(
    {},
    ...Object.entries(value).map(([name, child]) => flat(child, at === '' ? name : `${at}/${name}`)),
  ) as Record<string, string>;
}
