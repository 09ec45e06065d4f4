import { Box, Card, List, ListItemButton, ListSubheader, TextField, Typography } from '@mui/material';
import type { FoundOperation } from '@gather-lane/core/calls';
import { useState } from 'react';
import type { MadeHere } from './history';
import { nameOf, type Api } from './use-api';

const RECENT = 5;

/** Every operation, found by words or path; those that were called lately first. */
export function OperationList({
  api,
  history,
  chosen,
  choose,
}: {
  api: Api;
  history: readonly MadeHere[];
  chosen: string | null;
  choose: (name: string) => void;
}) {
  const [text, setText] = useState('');
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (operation: FoundOperation) => words.every((word) => textOf(operation).includes(word));
  const shown = api.operations.filter(fits);
  const recent = [...new Set(history.map(({ operation }) => operation))]
    .flatMap((name) => shown.find((operation) => nameOf(operation) === name) ?? [])
    .slice(0, RECENT);
  const tags = [...new Set(shown.map(({ operation }) => operation.tags?.[0] ?? 'other'))];
  const groups = [
    ...(recent.length > 0 ? [{ tag: 'called lately', of: recent }] : []),
    ...tags.map((tag) => ({ tag, of: shown.filter(({ operation }) => (operation.tags?.[0] ?? 'other') === tag) })),
  ];
  return (
    <>
      <TextField
        label="Search operations"
        value={text}
        onChange={(event) => setText(event.target.value)}
        fullWidth
        type="search"
      />
      <Card
        sx={{ maxHeight: { xs: 260, md: 'calc(100vh - 230px)' }, overflow: 'auto' }}
        tabIndex={0}
        role="region"
        aria-label="Operations"
      >
        {shown.length === 0 && (
          <Typography color="text.secondary" sx={{ p: 1.5 }}>
            No operation has all these words.
          </Typography>
        )}
        {groups.map(({ tag, of }) => (
          <List
            key={tag}
            dense
            disablePadding
            subheader={
              <ListSubheader sx={{ lineHeight: '28px', bgcolor: 'background.paper', textTransform: 'capitalize' }}>
                {tag}
              </ListSubheader>
            }
          >
            {of.map((operation) => (
              <ListItemButton
                key={nameOf(operation)}
                selected={nameOf(operation) === chosen}
                onClick={() => choose(nameOf(operation))}
                sx={{ display: 'block', py: 0.4 }}
              >
                <Typography sx={{ fontSize: 14, lineHeight: 1.3 }}>
                  {operation.operation.summary ?? nameOf(operation)}
                </Typography>
                <Typography
                  variant="caption"
                  color="text.secondary"
                  component="div"
                  sx={{ overflowWrap: 'anywhere', lineHeight: 1.3 }}
                >
                  <Box component="span" sx={{ fontWeight: 700 }}>
                    {operation.method}
                  </Box>{' '}
                  {operation.template}
                </Typography>
              </ListItemButton>
            ))}
          </List>
        ))}
      </Card>
    </>
  );
}

const textOf = ({ method, template, operation }: FoundOperation): string =>
  `${method} ${template} ${operation.operationId ?? ''} ${operation.summary ?? ''}`.toLowerCase();
