import { describe, expect, test } from '@jest/globals';
import type { ModelTable } from '@gather-lane/client';
import fc from 'fast-check';
import { diagramAsSvg } from './diagram-svg';
import { BOX, endsOf, layOut, pathThrough } from './layout';

/** A table with a key, some plain columns, and foreign keys to others. */
function table(name: string, refersTo: string[], options: { nullable?: boolean; own?: string[] } = {}): ModelTable {
  const foreign = refersTo.map((target, i) => ({ name: `${target}_${i}_id`, target }));
  return {
    name,
    comment: null,
    rows: 3,
    estimated: false,
    bytes: 8192,
    columns: ['id', 'created_at', ...foreign.map((key) => key.name), ...(options.own ?? [])].map((column) => ({
      name: column,
      type: 'uuid',
      nullable: column.endsWith('_id') && (options.nullable ?? false),
      default: null,
      comment: null,
    })),
    constraints: [
      { name: `${name}_pkey`, kind: 'primary key', definition: 'PRIMARY KEY (id)', columns: ['id'], refersTo: null },
      ...foreign.map((key) => ({
        name: `${name}_${key.name}`,
        kind: 'foreign key',
        definition: `FOREIGN KEY (${key.name}) REFERENCES ${key.target}(id)`,
        columns: [key.name],
        refersTo: key.target,
      })),
    ],
    indexes: [],
  };
}

const model = [
  table('users', [], { own: ['f_mooring'] }),
  table('posts', ['users']),
  table('comments', ['posts', 'users', 'comments'], { nullable: true }),
];

describe('the diagram', () => {
  test('shows keys and own fields, marked, and leaves the other columns to the panel', () => {
    const lines = (name: string) => layOut(model).boxes.find((box) => box.table.name === name)!.lines;
    expect(lines('users')).toEqual([
      { name: 'id', mark: 'PK', own: false },
      { name: 'f_mooring', mark: '', own: true },
    ]);
    expect(lines('posts')).toEqual([
      { name: 'id', mark: 'PK', own: false },
      { name: 'users_0_id', mark: 'FK', own: false },
    ]);
  });

  test('never lays one table over another, and draws a line for every foreign key that is shown', () => {
    const models = fc.array(fc.array(fc.nat(11), { maxLength: 3 }), { minLength: 1, maxLength: 12 }).map((all) =>
      all.map((keys, i) =>
        table(
          `t${i}`,
          keys.map((key) => `t${key % Math.max(1, Math.min(i + 1, all.length))}`),
        ),
      ),
    );
    fc.assert(
      fc.property(models, (tables) => {
        const { boxes, relations } = layOut(tables);
        for (const a of boxes)
          for (const b of boxes)
            if (a !== b)
              expect(
                a.x + BOX.width <= b.x || b.x + BOX.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y,
              ).toBe(true);
        const keys = tables.flatMap(({ constraints }) => constraints.filter(({ kind }) => kind === 'foreign key'));
        expect(relations).toHaveLength(keys.length);
      }),
      { numRuns: 60 },
    );
  });

  test('lines leave to the right, arrive from the left, and pass between tables, never through one', () => {
    const tables = [...model, table('marks', ['users', 'comments']), table('notes', ['users', 'marks'])];
    const { boxes, relations } = layOut(tables);
    const box = (name: string) => boxes.find((candidate) => candidate.table.name === name)!;
    for (const { from, to, points } of relations.filter((relation) => relation.from !== relation.to)) {
      expect(points[0]!.x).toBe(box(from).x + BOX.width);
      expect(points.at(-1)!.x).toBe(box(to).x);
      for (const { x, y } of points.slice(1, -1))
        for (const other of boxes)
          expect(x > other.x && x < other.x + BOX.width && y > other.y && y < other.y + other.height).toBe(false);
    }
    const loop = relations.find(({ from, to }) => from === to)!;
    expect(loop.points[0]!.x).toBe(box('comments').x + BOX.width);
    expect(pathThrough(loop.points)).toMatch(/^M [\d.]+ [\d.]+ H .* C /);
  });

  test('of two tables that refer to each other one line runs back below both, and ends at the child’s left', () => {
    const { boxes, relations } = layOut([table('users', ['uploads']), table('uploads', ['users'])]);
    const back = relations.filter(({ points }) => points.at(-1)!.x < points[0]!.x);
    expect(back).toHaveLength(1);
    const [{ points, from, to }] = back as [(typeof back)[number]];
    const boxOf = (name: string) => boxes.find((box) => box.table.name === name)!;
    expect([points[0]!.x, points.at(-1)!.x]).toEqual([boxOf(from).x + BOX.width, boxOf(to).x]);
    for (const { y } of points.slice(1, -1)) for (const box of boxes) expect(y).toBeGreaterThan(box.y + box.height);
  });

  test('ends tell one from many, and what may be missing', () => {
    const relation = (name: string) => layOut(model).relations.find(({ id }) => id.startsWith(name))!;
    const required = endsOf(relation('posts.'));
    const optional = endsOf(relation('comments.comments_posts'));
    expect(required.parent.ring).toBeNull();
    expect(optional.parent.ring).not.toBeNull();
    // A crow's foot has two toes that meet on the line; a bar crosses it.
    expect(required.child.d.match(/L/g)).toHaveLength(2);
    expect([relation('posts.').optional, relation('comments.comments_posts').optional]).toEqual([false, true]);
  });

  test('as SVG holds every table and line, with names escaped', () => {
    const svg = diagramAsSvg(layOut([...model, table('a<b&"c"', ['users'])]));
    expect(svg.match(/<rect /g)).toHaveLength(5);
    expect(svg.match(/<title>/g)).toHaveLength(5);
    expect(svg).toContain('a&#60;b&#38;&#34;c&#34;');
    expect(svg).toContain('posts.users_0_id refers to users');
  });

  test('of no tables is empty', () => expect(layOut([])).toMatchObject({ boxes: [], relations: [] }));
});
