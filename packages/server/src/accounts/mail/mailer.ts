import type { Transporter } from 'nodemailer';
import type { Config } from '../../ground/config/schema.js';

/** A message, in plain text. */
export interface Message {
  readonly to: string;
  readonly subject: string;
  readonly text: string;
}

/** Sends mail through the configured SMTP server, or through the mailbox stand-in of a demo. */
export class Mailer {
  readonly #address: string | undefined;
  #transport: Transporter | undefined;
  readonly #from: string;

  /** @param standIn address of the mailbox stand-in, used where no server is configured */
  constructor({ smtp, from }: Config['mail'], standIn?: string) {
    this.#address = smtp ?? standIn;
    this.#from = from;
  }

  /** Whether mail can be sent at all. */
  get ready(): boolean {
    return this.#address !== undefined;
  }

  /** Hands a message to the server. @throws when there is none, or it does not take the message */
  async send(message: Message): Promise<void> {
    if (this.#address === undefined) throw new Error('No mail server is configured.');
    // Loaded with the first message: most starts send none.
    const { createTransport } = await import('nodemailer');
    this.#transport ??= createTransport(this.#address);
    await this.#transport.sendMail({ from: this.#from, ...message });
  }
}
