import { Link } from '@mui/material';
import { Fragment, useMemo } from 'react';
import { Link as RouterLink } from 'react-router';

const graphemes = new Intl.Segmenter('en', { granularity: 'grapheme' });

/** Characters as people count them; the service counts the same way. */
export const useCharacters = (text: string): number => useMemo(() => [...graphemes.segment(text)].length, [text]);

/** A person's text as it was written, with handles as links. */
export function PersonText({ text }: { text: string }) {
  return text.split(/(?<![\w@])(@[a-z][a-z0-9_]{2,23})\b/i).map((part, i) =>
    i % 2 === 1 ? (
      <Link key={i} component={RouterLink} to={`/users/${part.toLowerCase()}`}>
        {part}
      </Link>
    ) : (
      <Fragment key={i}>{part}</Fragment>
    ),
  );
}
