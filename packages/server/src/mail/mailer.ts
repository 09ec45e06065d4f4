import { createTransport, type Transporter } from 'nodemailer';
import type { Config } from '../config/schema.js';

/** A message, in plain text. */
export interface Message {
  readonly to: string;
  readonly subject: string;
  readonly text: string;
}

/** Sends mail through the configured SMTP server, or through the mailbox stand-in of a demo. */
export class Mailer {
  readonly #transport: Transporter | null;
  readonly #from: string;

  /** @param standIn address of the mailbox stand-in, used where no server is configured */
  constructor({ smtp, from }: Config['mail'], standIn?: string) {
    const address = smtp ?? standIn;
    this.#transport = address === undefined ? null : createTransport(address);
    this.#from = from;
  }

  /** Whether mail can be sent at all. */
  get ready(): boolean {
    return this.#transport !== null;
  }

  /** Hands a message to the server. @throws when there is none, or it does not take the message */
  async send(message: Message): Promise<void> {
    if (!this.#transport) throw new Error('No mail server is configured.');
    await this.#transport.sendMail({ from: this.#from, ...message });
  }
}
