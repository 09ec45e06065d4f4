const ESCAPES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };

/** A text made safe to stand in HTML. */
export const escapeHtml = (text: string): string => text.replace(/[&<>"']/g, (c) => ESCAPES[c]!);

/** Back-quoted words become code. */
export const inline = (text: string): string => escapeHtml(text).replace(/`([^`]+)`/g, '<code>$1</code>');

const NAV = `<nav><a href="/docs">Documentation</a> · <a href="/docs/api">API</a> · <a href="/docs/problems">Problems</a> · <a href="/">Console</a></nav>`;

/** A readable page; `body` and `nav` are HTML that is safe already. */
export function page(title: string, body: string, nav = NAV): string {
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escapeHtml(title)} · Gather Lane</title>
<style>
  :root { color-scheme: light dark; --ink: #22302f; --paper: #faf8f3; --teal: #1f6f6b; --line: #d9d4c7; --quiet: #5d6967 }
  @media (prefers-color-scheme: dark) { :root { --ink: #e6ebe8; --paper: #141b1b; --teal: #6cc0b8; --line: #33403f; --quiet: #9aa8a5 } }
  body { margin: 0 auto; max-width: 46rem; padding: 2.5rem 1.25rem; font: 16px/1.6 system-ui, sans-serif; color: var(--ink); background: var(--paper) }
  a { color: var(--teal) } h1 { font-size: 1.6rem; line-height: 1.25 } h2 { font-size: 1.05rem; margin-top: 2rem }
  code { font-size: .9em; padding: .1em .3em; border: 1px solid var(--line); border-radius: 4px }
  table { border-collapse: collapse; width: 100% } td, th { text-align: left; padding: .4rem .6rem; border-bottom: 1px solid var(--line); vertical-align: top }
  nav, .quiet { color: var(--quiet); font-size: .9rem }
</style>
${nav}
<main><h1>${escapeHtml(title)}</h1>${body}</main>
</html>`;
}
