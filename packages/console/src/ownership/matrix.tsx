import { Box, Card, Table, TableBody, TableCell, TableHead, TableRow, Tooltip, Typography } from '@mui/material';
import type { OwnershipCheck } from '@gather-lane/client';

type TriedRoute = OwnershipCheck['routes'][number];
type Cell = TriedRoute['cells'][number];

const ROLES = ['nobody', 'another', 'blocked', 'owner', 'moderator', 'operator'];

/** Every route against everybody: the status that each met. */
export function Matrix({ routes }: { routes: readonly TriedRoute[] }) {
  return (
    <Card sx={{ overflow: 'auto', maxHeight: '70vh' }}>
      <Table size="small" stickyHeader aria-label="Routes and what everybody met">
        <TableHead>
          <TableRow>
            <TableCell>Route</TableCell>
            <TableCell>Rule</TableCell>
            {ROLES.map((role) => (
              <TableCell key={role} align="center">
                {role}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {routes.map((route) => (
            <TableRow key={route.operationId}>
              <TableCell sx={{ whiteSpace: 'nowrap' }}>
                <Typography variant="body2" component="div" sx={{ fontWeight: 600 }}>
                  {route.method} {route.path}
                </Typography>
                {[
                  ...route.faults,
                  ...route.cells.filter(({ fault }) => fault).map(({ role, says }) => `${role}: ${says}`),
                ].map((fault) => (
                  <Typography key={fault} variant="body2" color="error" sx={{ whiteSpace: 'normal' }}>
                    {fault}
                  </Typography>
                ))}
              </TableCell>
              <TableCell sx={{ whiteSpace: 'nowrap', color: 'text.secondary' }}>{route.rule}</TableCell>
              {route.cells.map((cell) => (
                <TableCell key={cell.role} align="center" sx={{ p: 0.5 }}>
                  <Met cell={cell} />
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Card>
  );
}

function Met({ cell: { role, status, expected, problem, kept, fault, says } }: { cell: Cell }) {
  const letIn = status !== null && status < 400;
  const row = kept ? 'the owner’s rows stayed as they were' : 'a row of the owner’s changed';
  const title =
    status === null
      ? (says ?? '')
      : `${role}: expected ${expected}, met ${status}${problem ? ` ${problem}` : ''}; ${row}`;
  return (
    <Tooltip title={title}>
      <Box
        component="span"
        tabIndex={0}
        aria-label={title}
        sx={{
          display: 'inline-block',
          minWidth: 46,
          px: 0.75,
          py: 0.25,
          borderRadius: 1,
          border: 1,
          fontVariantNumeric: 'tabular-nums',
          fontSize: '0.82rem',
          borderColor: fault ? 'error.main' : letIn ? 'primary.main' : 'divider',
          bgcolor: fault ? 'error.main' : 'transparent',
          color: fault ? 'error.contrastText' : letIn ? 'primary.main' : 'text.secondary',
        }}
      >
        {status ?? '–'}
        {!kept && ' ✎'}
      </Box>
    </Tooltip>
  );
}
