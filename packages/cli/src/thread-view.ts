import { sayAgo } from '@gather-lane/words';
import type { Thread } from '@gather-lane/client';
import colors from 'picocolors';
import wrapAnsi from 'wrap-ansi';
import { plural, print, shortId, terminalWidth } from './output.js';
import { painted } from './spans.js';

const STEP = 2;
/** However deep it is, a comment has so many columns. */
const LEAST_WIDTH = 30;

const MARKERS = {
  deleted: 'deleted',
  withheld: 'taken out of sight by a moderator',
  erased: 'by an account that was deleted',
  hidden: 'by somebody who keeps away from you, or you from them',
} as const;

/** Comments as the tree that they are, each after what it stands under; those at the top as they came. */
export function inThreads(comments: readonly Thread[]): Thread[] {
  const known = new Set(comments.map(({ id }) => id));
  const under = new Map<string | null, Thread[]>();
  for (const comment of comments) {
    const place = comment.parentId !== null && known.has(comment.parentId) ? comment.parentId : null;
    under.set(place, [...(under.get(place) ?? []), comment]);
  }
  const branch = (place: string | null): Thread[] =>
    (under.get(place) ?? []).flatMap((comment) => [comment, ...branch(comment.id)]);
  return branch(null);
}

/** A conversation, indented by how deep each comment stands. */
export function printThreads(comments: readonly Thread[], now: number): void {
  for (const comment of inThreads(comments)) {
    const { id, depth, author, marker, answers, createdAt, editedAt, tallies } = comment;
    const indent = ' '.repeat(Math.min(depth * STEP, Math.max(0, terminalWidth() - LEAST_WIDTH)));
    const counted = Object.keys(tallies.reactions).length > 0 ? [`net ${tallies.net}`] : [];
    const replies = tallies.replies > 0 ? [plural(tallies.replies, 'reply', 'replies')] : [];
    const to = answers
      ? [answers.handle === null ? 'answers a comment that is gone' : `answers @${answers.handle}`]
      : [];
    const facts = [...to, `${sayAgo(createdAt, now)}${editedAt ? ', edited' : ''}`, ...counted, ...replies].join(' · ');
    const who = author ? `@${author.handle}` : colors.dim(marker ? MARKERS[marker] : '');
    print(`${indent}${colors.cyan(shortId(id))}  ${who} ${colors.dim(`· ${facts}`)}`);
    if (marker !== null) continue;
    const width = Math.max(LEAST_WIDTH, terminalWidth() - indent.length - 8);
    for (const line of wrapAnsi(painted(comment), width, { hard: true }).split('\n')) print(`${indent}        ${line}`);
  }
}
