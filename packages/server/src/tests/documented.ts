/** Headers that say something of a reply; those that every server sends are not documented one by one. */
const TELLING = /^(?:etag|location|link|set-cookie|retry-after|www-authenticate|gather-trace|ratelimit-\w+)$/;

/** What is read of the API document: its paths, by method. */
export type Operations = Record<string, Record<string, { responses: Record<string, { headers?: object }> }>>;

/** What replies hold that the API document does not say of them. */
export class Documented {
  #paths: Operations | null = null;
  readonly #document: () => Operations;

  constructor(document: () => Operations) {
    this.#document = document;
  }

  /**
   * @param path as the document writes it, `/v1/posts/{post}`
   * @returns what is wrong with a reply, as a sentence, or null; also for paths that the document leaves out
   */
  faultOf(method: string, path: string, status: number, headers: readonly string[]): string | null {
    this.#paths ??= this.#document();
    const operation = this.#paths[path]?.[method.toLowerCase()];
    if (!operation) return null;
    const reply = operation.responses[status];
    if (!reply) return `${method} ${path} answered ${status}, which its description does not list`;
    const known = Object.keys(reply.headers ?? {}).map((name) => name.toLowerCase());
    const unknown = headers
      .map((name) => name.toLowerCase())
      .find((name) => TELLING.test(name) && !known.includes(name));
    return unknown ? `${method} ${path} answered ${status} with ${unknown}, which its description does not list` : null;
  }

  /** The path of the document that an address's path is of, or the path itself. */
  pathOf(path: string): string {
    this.#paths ??= this.#document();
    const parts = path.split('/');
    const fits = (template: string[]) =>
      template.length === parts.length && template.every((part, i) => part.startsWith('{') || part === parts[i]);
    const found = Object.keys(this.#paths).filter((template) => fits(template.split('/')));
    // A word of its own goes before a name: /v1/posts/mine before /v1/posts/{post}.
    return found.sort((a, b) => a.split('{').length - b.split('{').length)[0] ?? path;
  }
}
