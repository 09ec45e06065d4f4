import { Button, Card, List, ListItemButton, Stack, Typography } from '@mui/material';
import { recordWalk } from '@gather-lane/core/calls';
import { useNavigate } from 'react-router';
import { Ago } from '../common/time';
import { Empty } from '../common/states';
import { callerName } from './draft';
import { forgetAll, type MadeHere } from './history';
import { keepWalk } from '../walks/kept-walk';
import { StatusChip } from './status-chip';

/** The calls that were made from this browser: each can be made again, and all of them together are a walk. */
export function HistoryList({ history, repeat }: { history: readonly MadeHere[]; repeat: (made: MadeHere) => void }) {
  const navigate = useNavigate();
  if (history.length === 0)
    return <Empty title="No calls yet">Each call that is sent is kept here, in this browser.</Empty>;
  const record = () => {
    const calls = [...history].reverse().flatMap(({ caller, userId, operation, path, draft, status, reply }) =>
      status === null
        ? []
        : [
            {
              as: caller.as === 'user' ? (caller.user ?? 'nobody') : caller.as === 'operator' ? 'operator' : 'nobody',
              userId,
              method: operation.split(' ')[0]!,
              path,
              headers: draft.headers,
              body: draft.body.trim() === '' ? undefined : (JSON.parse(draft.body) as never),
              status,
              reply: reply as never,
            },
          ],
    );
    keepWalk(recordWalk('What was called', calls));
    void navigate('/walks');
  };
  return (
    <>
      <Stack direction="row" sx={{ gap: 1 }}>
        <Button variant="outlined" onClick={record}>
          Make a walk of it
        </Button>
        <Button onClick={forgetAll}>Forget all</Button>
      </Stack>
      <Card
        sx={{ maxHeight: { xs: 260, md: 'calc(100vh - 230px)' }, overflow: 'auto' }}
        tabIndex={0}
        role="region"
        aria-label="History"
      >
        <List dense disablePadding>
          {history.map((made) => (
            <ListItemButton key={made.n} onClick={() => repeat(made)} sx={{ display: 'block', py: 0.5 }}>
              <Typography sx={{ fontSize: 13.5, overflowWrap: 'anywhere', lineHeight: 1.3 }}>
                {made.operation}
              </Typography>
              <Stack direction="row" sx={{ gap: 0.75, alignItems: 'center' }}>
                <StatusChip status={made.status} />
                <Typography variant="caption" color="text.secondary" noWrap>
                  {callerName(made.caller)} · <Ago instant={made.at} />
                </Typography>
              </Stack>
            </ListItemButton>
          ))}
        </List>
      </Card>
    </>
  );
}
