/** Makes absolute addresses: they come from the configured public address, never from a request. */
export class PublicAddress {
  #base: string;

  constructor(configured: string | undefined) {
    this.#base = (configured ?? '').replace(/\/+$/, '');
  }

  /** Without a configured address the one that the service listens on is used, once it is known. */
  listensAt(address: string): void {
    this.#base ||= address;
  }

  get base(): string {
    return this.#base;
  }

  to(path: string): string {
    return this.#base + path;
  }
}
