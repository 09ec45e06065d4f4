import { Box, Paper, Popper, Typography } from '@mui/material';
import type { User } from '@gather-lane/client';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useId, useState, type KeyboardEvent, type RefObject } from 'react';
import { api, unwrap } from '../api';
import { Avatar } from '../users/avatar';

/** A handle that is being written right before the caret. */
const BEGUN = /(?:^|[^\p{L}\p{N}\p{M}_@/&#])[@\uFF20]([A-Za-z][A-Za-z0-9_]{0,23})?$/u;
const MOST = 6;

interface Options {
  readonly text: string;
  readonly setText: (text: string) => void;
  readonly input: RefObject<HTMLTextAreaElement | null>;
  /** The post whose conversation it is. */
  readonly conversation?: string;
}

/**
 * People whom one may be about to name: those whom one follows, those in the conversation, and then by followers. Chosen by
 * arrows and Enter or Tab, or by click; Escape lets the text be.
 */
export function useMentionSuggestions({ text, setText, input, conversation }: Options) {
  const id = useId();
  const [caret, setCaret] = useState<number | null>(null);
  const [at, setAt] = useState(0);
  const [dismissed, setDismissed] = useState<string | null>(null);
  const before = caret === null ? '' : text.slice(0, caret);
  const begun = BEGUN.exec(before);
  const prefix = begun ? (begun[1] ?? '') : null;
  const asked = prefix !== null && before !== dismissed;
  const found = useQuery({
    queryKey: ['suggestions', prefix, conversation],
    enabled: asked,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const query = {
        sort: 'nearest' as const,
        q: prefix ?? '',
        limit: MOST,
        ...(conversation && { post: conversation }),
      };
      return unwrap(await api.GET('/v1/users', { params: { query }, signal })).items;
    },
  });
  const people = asked ? (found.data ?? []) : [];
  const open = people.length > 0;
  const chosen = Math.min(at, people.length - 1);
  const follow = () => {
    setCaret(input.current?.selectionStart ?? null);
    setAt(0);
  };
  const take = ({ handle }: User) => {
    const start = caret! - (prefix ?? '').length;
    const next = `${text.slice(0, start)}${handle} `;
    setText(next + text.slice(caret!).replace(/^ /, ''));
    setCaret(null);
    requestAnimationFrame(() => {
      input.current?.focus();
      input.current?.setSelectionRange(next.length, next.length);
    });
  };
  /** @returns whether the key was for the suggestions */
  const onKeyDown = (event: KeyboardEvent): boolean => {
    if (!open || event.ctrlKey || event.metaKey || event.altKey) return false;
    if (event.key === 'ArrowDown') setAt((chosen + 1) % people.length);
    else if (event.key === 'ArrowUp') setAt((chosen + people.length - 1) % people.length);
    else if (event.key === 'Enter' || (event.key === 'Tab' && !event.shiftKey)) take(people[chosen]!);
    else if (event.key === 'Escape') setDismissed(before);
    else return false;
    event.preventDefault();
    event.stopPropagation();
    return true;
  };
  const list = (
    <Popper open={open} anchorEl={input.current} placement="bottom-start" sx={{ zIndex: 'modal' }}>
      <Paper
        id={id}
        role="listbox"
        aria-label="People to name"
        variant="outlined"
        sx={{ mt: 1.5, width: 420, maxWidth: '92vw' }}
      >
        {people.map((user, i) => (
          <Box
            key={user.id}
            id={`${id}-${i}`}
            role="option"
            aria-selected={i === chosen}
            // Before the text loses the focus.
            onMouseDown={(event) => {
              event.preventDefault();
              take(user);
            }}
            sx={{
              display: 'flex',
              alignItems: 'center',
              gap: 1,
              px: 1.5,
              py: 0.75,
              cursor: 'pointer',
              bgcolor: i === chosen ? 'action.selected' : undefined,
            }}
          >
            <Avatar name={user.name} picture={user.picture} />
            <Typography noWrap sx={{ fontWeight: 600 }}>
              {user.name}
            </Typography>
            <Typography variant="body2" color="text.secondary" noWrap>
              @{user.handle}
              {user.relation?.youFollow && ' · you follow them'}
            </Typography>
          </Box>
        ))}
      </Paper>
    </Popper>
  );
  const aria = {
    'aria-autocomplete': 'list',
    'aria-haspopup': 'listbox',
    ...(open && { 'aria-controls': id, 'aria-activedescendant': `${id}-${chosen}` }),
  } as const;
  return { list, aria, onKeyDown, follow, close: () => setCaret(null) };
}
