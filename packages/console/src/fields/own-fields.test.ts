import { describe, expect, test } from '@jest/globals';
import type { OwnField } from '@gather-lane/client';
import { changedValues, isComplete, toTyped } from './own-fields';

const field = (name: string, kind: string, more: Partial<OwnField> = {}): OwnField => ({
  table: 'posts',
  name,
  kind,
  schema: {},
  description: null,
  required: false,
  needed: false,
  audience: 'anyone',
  writable: 'owner',
  ...more,
});
const fields = [
  field('depth', 'number'),
  field('open', 'boolean'),
  field('at', 'date-time'),
  field('note', 'string', { required: true, needed: true }),
];

describe('inputs of own fields', () => {
  test('hold values as text, and give back those that changed in their types', () => {
    const before = toTyped(fields, { depth: 1.5, open: true, at: '2026-04-01T08:30:00.000Z', note: 'x' });
    expect(before).toEqual({ depth: '1.5', open: 'true', at: '2026-04-01T08:30', note: 'x' });
    expect(changedValues(fields, before, before)).toEqual({});
    expect(changedValues(fields, before, { ...before, depth: '2', open: 'false' })).toEqual({ depth: 2, open: false });
    expect(changedValues(fields, before, { ...before, at: '2026-04-02T09:00' })).toEqual({
      at: '2026-04-02T09:00:00Z',
    });
  });

  test('emptied is null, untouched is not sent', () => {
    const before = toTyped(fields, { depth: 0, note: 'x' });
    expect(before).toEqual({ depth: '0', open: '', at: '', note: 'x' });
    expect(changedValues(fields, before, { ...before, depth: '' })).toEqual({ depth: null });
  });

  test('are complete when what is needed is there', () => {
    expect([isComplete(fields, {}), isComplete(fields, { note: 'x' }), isComplete([], {})]).toEqual([
      false,
      true,
      true,
    ]);
  });
});
