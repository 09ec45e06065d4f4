import dagre from '@dagrejs/dagre';
import type { ModelTable } from '@gather-lane/client';

/** How wide a table is drawn, and how high its parts are; the diagram and its export agree on them. */
export const BOX = { width: 176, head: 28, line: 18, foot: 6 } as const;

/** A point of the diagram. */
export interface Point {
  readonly x: number;
  readonly y: number;
}

/** A line of a table's box: a key, or a field of the developer's own. */
export interface Line {
  readonly name: string;
  readonly mark: 'PK' | 'FK' | 'PK FK' | '';
  readonly own: boolean;
}

/** A table where it stands in the diagram; x and y are its upper left corner. */
export interface Box {
  readonly table: ModelTable;
  readonly lines: Line[];
  readonly x: number;
  readonly y: number;
  readonly height: number;
}

/** A foreign key as a line between two boxes, with how many rows stand at its ends. */
export interface Relation {
  readonly id: string;
  readonly from: string;
  readonly to: string;
  readonly columns: string;
  /** Where the line leaves, what it passes, and where it arrives; it is level at each of them. */
  readonly points: Point[];
  /** At the table that is referred to: exactly one, or none where the key may be empty. */
  readonly optional: boolean;
  /** At the table with the key: one at most, where the key is its primary key. */
  readonly one: boolean;
}

/** The diagram, laid out. */
export interface Layout {
  readonly boxes: Box[];
  readonly relations: Relation[];
  readonly width: number;
  readonly height: number;
}

const foreignKeys = (table: ModelTable) => table.constraints.filter(({ kind }) => kind === 'foreign key');
const primaryKey = (table: ModelTable) => table.constraints.find(({ kind }) => kind === 'primary key')?.columns ?? [];

function linesOf(table: ModelTable): Line[] {
  const key = primaryKey(table);
  const foreign = new Set(foreignKeys(table).flatMap(({ columns }) => columns));
  return table.columns
    .map(({ name }) => ({
      name,
      mark: [key.includes(name) && 'PK', foreign.has(name) && 'FK'].filter(Boolean).join(' ') as Line['mark'],
      own: name.startsWith('f_'),
    }))
    .filter(({ mark, own }) => mark !== '' || own);
}

/** Lays the tables out from left to right, parents before children, without overlap; lines go round the boxes. */
export function layOut(tables: readonly ModelTable[]): Layout {
  const graph = new dagre.graphlib.Graph({ multigraph: true });
  graph.setGraph({ rankdir: 'LR', nodesep: 18, ranksep: 76, edgesep: 16, marginx: 8, marginy: 8 });
  graph.setDefaultEdgeLabel(() => ({}));
  const shown = new Set(tables.map(({ name }) => name));
  const lines = new Map(tables.map((table) => [table.name, linesOf(table)]));
  const heightOf = (name: string) => BOX.head + lines.get(name)!.length * BOX.line + BOX.foot;
  for (const { name } of tables) graph.setNode(name, { width: BOX.width, height: heightOf(name) });
  const keys = tables.flatMap((table) =>
    foreignKeys(table)
      .filter(({ refersTo }) => refersTo !== null && shown.has(refersTo))
      .map((rule) => ({ table, rule, id: `${table.name}.${rule.name}` })),
  );
  // A table that refers to itself gets a loop at its side, which needs no place of its own.
  for (const { table, rule, id } of keys)
    if (rule.refersTo !== table.name) graph.setEdge(rule.refersTo!, table.name, {}, id);
  dagre.layout(graph);
  const boxes = tables.map((table) => {
    const { x, y } = graph.node(table.name);
    const height = heightOf(table.name);
    return { table, lines: lines.get(table.name)!, x: x - BOX.width / 2, y: y - height / 2, height };
  });
  const relations = keys.map(({ table, rule, id }) => {
    // A key that repeats a part of another to stay within one parent is optional where the rest of it is.
    const own = rule.columns.filter((name, _, all) => all.length === 1 || name !== all[0]);
    const edge = rule.refersTo === table.name ? null : graph.edge({ v: rule.refersTo!, w: table.name, name: id });
    return {
      id,
      from: rule.refersTo!,
      to: table.name,
      columns: own.join(', '),
      points: passed((edge?.points ?? []) as Point[], boxes),
      optional: own.some((name) => table.columns.find((column) => column.name === name)?.nullable ?? false),
      one: primaryKey(table).join() === rule.columns.join(),
    };
  });
  atSides(boxes, relations);
  for (const relation of relations) roundBack(relation, boxes);
  const { width = 0, height = 0 } = graph.graph() as { width?: number; height?: number };
  // Room for loops at the last column.
  return { boxes, relations, width: width + 32, height };
}

const GAP = 14;
/** How far a line goes straight out of a table's side. */
const END = 18;

/** What a line passes on its way: where it goes through a column of tables, it goes level, between them. */
function passed(points: readonly Point[], boxes: readonly Box[]): Point[] {
  const columns = [...new Set(boxes.map(({ x }) => x))];
  return points.slice(1, -1).flatMap(({ x, y }) => {
    const left = columns.find((column) => x > column && x < column + BOX.width);
    return left === undefined
      ? []
      : [
          { x: left - GAP, y },
          { x: left + BOX.width + GAP, y },
        ];
  });
}

/** Lines leave at the right side of a table and arrive at the left of another, spread out in the order of where they go. */
function atSides(boxes: readonly Box[], relations: { from: string; to: string; points: Point[] }[]): void {
  const centre = (name: string) => {
    const box = boxes.find(({ table }) => table.name === name)!;
    return box.y + box.height / 2;
  };
  const spread = (box: Box, count: number, i: number) => box.y + 10 + ((box.height - 20) * (i + 1)) / (count + 1);
  for (const box of boxes) {
    const { name } = box.table;
    const right = box.x + BOX.width;
    const [loops, leaving, arriving] = [
      relations.filter(({ from, to }) => from === name && to === name),
      relations.filter(({ from, to }) => from === name && to !== name),
      relations.filter(({ from, to }) => to === name && from !== name),
    ];
    leaving.sort((a, b) => (a.points[0]?.y ?? centre(a.to)) - (b.points[0]?.y ?? centre(b.to)));
    arriving.sort((a, b) => (a.points.at(-1)?.y ?? centre(a.from)) - (b.points.at(-1)?.y ?? centre(b.from)));
    const out = leaving.map((_, i) => ({ x: right, y: spread(box, leaving.length, i) }));
    for (const [i, relation] of arriving.entries())
      relation.points.push({ x: box.x, y: spread(box, arriving.length, i) });
    for (const [i, relation] of leaving.entries()) relation.points.unshift(out[i]!);
    for (const relation of loops)
      relation.points = [
        { x: right, y: box.y + BOX.head },
        { x: right + 26, y: box.y + box.height / 2 },
        { x: right, y: Math.min(box.y + BOX.head + 48, box.y + box.height - 10) },
      ];
  }
}

/** Where two tables refer to each other, one of the lines runs back to the left: below both, not across them. */
function roundBack(relation: { from: string; to: string; points: Point[] }, boxes: readonly Box[]): void {
  const [first, last] = [relation.points[0]!, relation.points.at(-1)!];
  if (relation.from === relation.to || last.x > first.x) return;
  const ends = boxes.filter(({ table }) => table.name === relation.from || table.name === relation.to);
  const below = Math.max(...ends.map(({ y, height }) => y + height)) + GAP;
  relation.points = [first, { x: first.x + 2 * END, y: below }, { x: last.x - 2 * END, y: below }, last];
}

/** A line through the points of a relation: level where it leaves, passes and arrives; a loop bends round. */
export function pathThrough(points: readonly Point[]): string {
  const [first, ...rest] = points;
  if (!first) return '';
  if (points.length === 3 && points[2]!.x === first.x) {
    const [, far, last] = points as [Point, Point, Point];
    return `M ${first.x} ${first.y} H ${first.x + END} C ${far.x + 14} ${first.y}, ${far.x + 14} ${last.y}, ${first.x + END} ${last.y} H ${last.x}`;
  }
  // Straight at both ends, where the crow's feet stand.
  const last = { x: points.at(-1)!.x - END, y: points.at(-1)!.y };
  let before = { x: first.x + END, y: first.y };
  const parts = [`M ${first.x} ${first.y} H ${before.x}`];
  for (const point of [...rest.slice(0, -1), last]) {
    const half = (point.x - before.x) / 2;
    parts.push(`C ${before.x + half} ${before.y}, ${point.x - half} ${point.y}, ${point.x} ${point.y}`);
    before = point;
  }
  return `${parts.join(' ')} H ${last.x + END}`;
}

/** The crow's feet at both ends of a relation: at the table that is referred to, and at the one with the key. */
export function endsOf({ points, one, optional, from, to }: Relation) {
  const [first, last] = [points[0]!, points.at(-1)!];
  const child = from === to ? { x: last.x + 20, y: last.y } : { x: last.x - 20, y: last.y };
  return {
    parent: crowsFoot(first, { x: first.x + 20, y: first.y }, { many: false, optional }),
    child: crowsFoot(last, child, { many: !one, optional: true }),
  };
}

/** Strokes of a crow's-foot end at a point; `towards` is where the line goes on. */
function crowsFoot(
  at: Point,
  towards: Point,
  end: { readonly many: boolean; readonly optional: boolean },
): { d: string; ring: Point | null } {
  const length = Math.hypot(towards.x - at.x, towards.y - at.y) || 1;
  const [ux, uy] = [(towards.x - at.x) / length, (towards.y - at.y) / length];
  const along = (n: number, side: number) =>
    `${(at.x + ux * n - uy * side).toFixed(1)} ${(at.y + uy * n + ux * side).toFixed(1)}`;
  const bar = (n: number) => `M ${along(n, -4)} L ${along(n, 4)}`;
  const foot = `M ${along(10, 0)} L ${along(0, -6)} M ${along(10, 0)} L ${along(0, 6)}`;
  const ring = end.optional ? { x: at.x + ux * 14, y: at.y + uy * 14 } : null;
  return {
    d: end.many ? foot + (end.optional ? '' : ` ${bar(13)}`) : `${bar(6)}${end.optional ? '' : ` ${bar(10)}`}`,
    ring,
  };
}
