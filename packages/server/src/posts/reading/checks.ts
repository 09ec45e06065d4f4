import { isStoredSpan, readText } from '@gather-lane/core';
import type { DataCheck } from '../../ground/capability/data-check.js';
import { TEXTS } from './queries.js';
import { READING } from './service.js';

/** Whether spans are other than what the rules find in their text; a name is a mention only where it is somebody's. */
function isWrong(found: string): boolean {
  const { body, spans } = JSON.parse(found) as { body: string; spans: unknown[] };
  const stored = spans.filter(isStoredSpan);
  const named = readText(body);
  const at = (from: unknown, to: unknown) => named.find((each) => each.utf16From === from && each.utf16To === to);
  const told = stored.every(([kind, from, to, utf16From, utf16To, value]) => {
    const each = at(utf16From, utf16To);
    if (!each || each.from !== from || each.to !== to) return false;
    if (each.kind === 'hashtag') return kind === 'h' && each.hashtag === value;
    return each.kind === 'link' ? kind === 'l' && each.url === value : kind === 'm';
  });
  const needed = named.filter(({ kind }) => kind !== 'handle').length;
  return stored.length < spans.length || !told || stored.filter(([kind]) => kind !== 'm').length !== needed;
}

const spansOf = (table: (typeof TEXTS)[number]): DataCheck => ({
  name: `${table}-spans`,
  means: `the spans of ${table} are not what their text names`,
  // Read anew by the service, as after a change of the rules.
  repair: [`UPDATE ${table} SET reading = 0 WHERE id = ANY ($1)`],
  recounts: true,
  wrong: isWrong,
  sql: `SELECT id::text, json_build_object('body', body, 'spans', spans)::text AS found, 'what the text names' AS should FROM ${table} WHERE reading = ${READING}`,
});

const mentionsOf = (thing: 'post' | 'comment'): DataCheck => ({
  name: `${thing}-mentions`,
  means: `whom a ${thing} mentions is not what its spans say`,
  repair: [`SELECT set_${thing}_mentions($1)`],
  recounts: true,
  sql: `SELECT coalesce(m.${thing}_id, s.id)::text AS id, coalesce(m.user_id::text, 'nobody') AS found, coalesce(s.user_id, 'nobody') AS should
    FROM ${thing}_mentions m
    FULL JOIN (SELECT DISTINCT t.id, s ->> 5 AS user_id FROM ${thing}s t CROSS JOIN LATERAL jsonb_array_elements(t.spans) s WHERE s ->> 0 = 'm') s
      ON s.id = m.${thing}_id AND s.user_id = m.user_id::text
    WHERE m.user_id IS NULL OR s.user_id IS NULL`,
});

/** What is kept of texts, against the texts themselves. */
export const READING_CHECKS: readonly DataCheck[] = [...TEXTS.map(spansOf), mentionsOf('post'), mentionsOf('comment')];
