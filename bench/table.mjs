/** Prints a table in Markdown, as docs/benchmarks.md holds it. */
export function printTable(title, head, rows) {
  const cells = [head, ...rows].map((row) => row.map(String));
  const widths = head.map((_, i) => Math.max(...cells.map((row) => row[i].length)));
  const line = (row) =>
    `| ${row.map((cell, i) => (i === 0 ? cell.padEnd(widths[i]) : cell.padStart(widths[i]))).join(' | ')} |`;
  console.log(`\n${title}\n`);
  console.log(
    [
      line(cells[0]),
      `|${widths.map((w, i) => (i === 0 ? '-'.repeat(w + 2) : `${'-'.repeat(w + 1)}:`)).join('|')}|`,
      ...cells.slice(1).map(line),
    ].join('\n'),
  );
}
