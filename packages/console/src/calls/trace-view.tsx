import { mdiAlertOutline } from '@mdi/js';
import {
  Alert,
  Box,
  Card,
  Chip,
  Collapse,
  Link,
  Stack,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  Typography,
} from '@mui/material';
import type { Trace } from '@gather-lane/client';
import { useState } from 'react';
import { Icon } from '../common/icon';
import { RowChanges } from './row-changes';

type Statement = Trace['statements'][number];

/** What a call did: what a reviewer would say, its statements, and the rows that it changed. */
export function TraceView({ trace }: { trace: Trace }) {
  const { warnings, rows, moreRows, counts, statements, moreStatements } = trace;
  return (
    <Stack sx={{ gap: 2, minWidth: 0 }}>
      {warnings.map(({ kind, says, statements: about }) => (
        <Alert
          key={`${kind} ${about.join()}`}
          severity="warning"
          variant="outlined"
          icon={<Icon outline={mdiAlertOutline} />}
        >
          {says}{' '}
          <Typography
            component="span"
            color="text.secondary"
          >{`Statement ${about.slice(0, 5).join(', ')}${about.length > 5 ? ', …' : ''}.`}</Typography>
        </Alert>
      ))}
      <Stack sx={{ gap: 1, minWidth: 0 }}>
        <Typography variant="h2">Rows</Typography>
        <Counts counts={counts} />
        {rows.length === 0 ? (
          <Typography color="text.secondary">No row was changed.</Typography>
        ) : (
          <RowChanges rows={rows} />
        )}
        {moreRows > 0 && (
          <Typography color="text.secondary">
            and {moreRows.toLocaleString('en-GB')} rows more, counted above
          </Typography>
        )}
      </Stack>
      <Stack sx={{ gap: 1, minWidth: 0 }}>
        <Typography variant="h2">Statements</Typography>
        {statements.length === 0 ? (
          <Typography color="text.secondary">The database was not asked.</Typography>
        ) : (
          <Statements statements={statements} />
        )}
        {moreStatements > 0 && <Typography color="text.secondary">and {moreStatements} statements more</Typography>}
      </Stack>
    </Stack>
  );
}

function Counts({ counts }: { counts: Trace['counts'] }) {
  const parts = Object.entries(counts).flatMap(([table, { inserted, changed, deleted }]) => {
    const said = [inserted > 0 && `+${inserted}`, changed > 0 && `~${changed}`, deleted > 0 && `−${deleted}`].filter(
      Boolean,
    );
    return said.length > 0 ? [{ table, said: said.join(' ') }] : [];
  });
  if (parts.length === 0) return null;
  return (
    <Stack direction="row" sx={{ flexWrap: 'wrap', gap: 0.75 }} aria-label="How many rows of each table">
      {parts.map(({ table, said }) => (
        <Chip key={table} size="small" variant="outlined" label={`${table} ${said}`} />
      ))}
    </Stack>
  );
}

function Statements({ statements }: { statements: readonly Statement[] }) {
  return (
    <Card sx={{ overflowX: 'auto' }} tabIndex={0} role="region" aria-label="Statements">
      <Table size="small" sx={{ '& td, & th': { py: 0.5, px: 1, fontSize: 13, verticalAlign: 'top' } }}>
        <TableHead>
          <TableRow>
            <TableCell align="right">#</TableCell>
            <TableCell>Statement</TableCell>
            <TableCell>From</TableCell>
            <TableCell align="right">ms</TableCell>
            <TableCell align="right">Rows</TableCell>
            <TableCell>Transaction</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {statements.map((statement, n) => (
            <StatementRow key={n} n={n} statement={statement} />
          ))}
        </TableBody>
      </Table>
    </Card>
  );
}

function StatementRow({ n, statement }: { n: number; statement: Statement }) {
  const { text, capability, parameters, ms, rows, changed, transaction, shared, error } = statement;
  const [open, setOpen] = useState(false);
  const line = text.replace(/\s+/g, ' ').trim();
  const long = line.length > 90;
  return (
    <TableRow id={`statement-${n}`}>
      <TableCell align="right" sx={{ color: 'text.secondary' }}>
        {n}
      </TableCell>
      <TableCell sx={{ width: '100%' }}>
        <Box component="code" sx={{ fontSize: 12.5, overflowWrap: 'anywhere' }}>
          {long && !open ? `${line.slice(0, 90)}…` : open ? '' : line}
        </Box>
        <Collapse in={open} unmountOnExit>
          <Box component="pre" sx={{ m: 0, fontSize: 12.5, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>
            {text.replace(/^\n/, '')}
          </Box>
          {parameters.length > 0 && (
            <Typography variant="caption" color="text.secondary" component="div">
              {parameters.map((kind, i) => `$${i + 1} ${kind}`).join(' · ')}: values are not kept
            </Typography>
          )}
        </Collapse>
        {(long || parameters.length > 0) && (
          <Link
            component="button"
            variant="caption"
            onClick={() => setOpen(!open)}
            sx={{ display: 'block' }}
            aria-expanded={open}
          >
            {open ? 'Less' : 'Whole'}
          </Link>
        )}
        {shared > 1 && (
          <Typography variant="caption" color="text.secondary" component="div">
            sent for {shared} calls together
          </Typography>
        )}
        {error !== null && (
          <Typography variant="caption" color="error" component="div">
            failed: {error}
          </Typography>
        )}
      </TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap' }}>{capability ?? ''}</TableCell>
      <TableCell align="right" sx={{ fontVariantNumeric: 'tabular-nums' }}>
        {ms?.toFixed(1) ?? '–'}
      </TableCell>
      <TableCell align="right" sx={{ whiteSpace: 'nowrap', fontVariantNumeric: 'tabular-nums' }}>
        {rows ?? ''}
        {changed > 0 && ` (${changed} written)`}
      </TableCell>
      <TableCell sx={{ whiteSpace: 'nowrap', color: 'text.secondary' }}>
        {transaction === null ? 'by itself' : transaction}
      </TableCell>
    </TableRow>
  );
}
