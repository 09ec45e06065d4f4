import { BOX, endsOf, pathThrough, type Layout } from './layout';

const escape = (text: string): string => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);

/** The diagram as an SVG file of its own, in the colours of paper and ink. */
export function diagramAsSvg({ boxes, relations, width, height }: Layout): string {
  const lines = relations.map((relation) => {
    const { points, to, from, columns } = relation;
    const { parent, child } = endsOf(relation);
    const rings = [parent.ring, child.ring].map((ring) =>
      ring ? `<circle cx="${ring.x}" cy="${ring.y}" r="3.5" fill="#FAF8F3"/>` : '',
    );
    return `<g fill="none" stroke="#566462" stroke-width="1.2"><title>${escape(`${to}.${columns} refers to ${from}`)}</title><path d="${pathThrough(points)} ${parent.d} ${child.d}"/>${rings.join('')}</g>`;
  });
  const tables = boxes.map(({ table, lines: rows, x, y, height: tall }) => {
    const texts = rows.map(({ name, mark, own }, i) => {
      const at = y + BOX.head + i * BOX.line + 13;
      const colour = own ? '#8A6417' : '#22302F';
      return `<text x="${x + 8}" y="${at}" fill="${colour}">${escape(name)}</text><text x="${x + BOX.width - 8}" y="${at}" font-size="10" text-anchor="end" fill="#566462">${mark}</text>`;
    });
    return `<g><rect x="${x}" y="${y}" width="${BOX.width}" height="${tall}" rx="6" fill="#FFFFFF" stroke="#566462"/><text x="${x + 8}" y="${y + 18}" font-size="13" font-weight="600" fill="#1F6F6B">${escape(table.name)}</text><path d="M ${x} ${y + BOX.head} H ${x + BOX.width}" stroke="#DDD8CB"/>${texts.join('')}</g>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}" font-family="'Source Sans 3', system-ui, sans-serif" font-size="12"><rect width="100%" height="100%" fill="#FAF8F3"/>${lines.join('')}${tables.join('')}</svg>`;
}

/** Hands a text to the browser as a file. */
export function saveFile(name: string, type: string, text: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
