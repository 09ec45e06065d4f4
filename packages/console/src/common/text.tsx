import { Link } from '@mui/material';
import type { Span } from '@gather-lane/client';
import { useMemo, type ReactNode } from 'react';
import { Link as RouterLink } from 'react-router';

const graphemes = new Intl.Segmenter('en', { granularity: 'grapheme' });

/** Characters as people count them; the service counts the same way. */
export const useCharacters = (text: string): number => useMemo(() => [...graphemes.segment(text)].length, [text]);

/** A text as it was written, with what the service found in it as links: hashtags, people, addresses. */
export function SpanText({ text, spans }: { text: string; spans: readonly Span[] }) {
  const parts: ReactNode[] = [];
  let at = 0;
  for (const span of spans) {
    const written = text.slice(span.utf16From, span.utf16To);
    parts.push(text.slice(at, span.utf16From), <SpanLink key={span.utf16From} span={span} written={written} />);
    at = span.utf16To;
  }
  return [...parts, text.slice(at)];
}

function SpanLink({ span: { hashtag, user, url }, written }: { span: Span; written: string }) {
  if (url !== undefined)
    return (
      <Link href={url} target="_blank" rel="noopener noreferrer nofollow">
        {written}
      </Link>
    );
  const to = hashtag === undefined ? `/users/${user}` : `/hashtags/${encodeURIComponent(hashtag)}`;
  return (
    <Link component={RouterLink} to={to}>
      {written}
    </Link>
  );
}
