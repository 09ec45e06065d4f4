/** The words that begin a line of SQL laid out to be read. */
const CLAUSES =
  /(?<!\b(?:LEFT|FULL|CROSS|DISTINCT|epoch)) (?=(?:FROM|LEFT JOIN|FULL JOIN|CROSS JOIN|JOIN|WHERE|GROUP BY|HAVING|ORDER BY|UNION ALL|LIMIT)\b)/g;

/** SQL as it is read: a line for each clause, indented by the parentheses that it stands in. */
export function tidySql(sql: string): string {
  let depth = 0;
  return sql
    .trim()
    .replace(/\s+/g, ' ')
    .replace(CLAUSES, '\n')
    .split('\n')
    .map((line) => {
      const indented = '  '.repeat(depth) + line;
      depth += line.split('(').length - line.split(')').length;
      return indented;
    })
    .join('\n');
}
