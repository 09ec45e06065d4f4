import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { v7 as uuidv7 } from 'uuid';

const MOST_KEPT = 200;
const LARGEST = 1024 * 1024;

/** A message that the stand-in was sent. */
export interface KeptMessage {
  readonly id: string;
  readonly from: string;
  readonly to: string;
  readonly subject: string;
  readonly text: string;
  readonly receivedAt: Date;
}

/**
 * The mailbox stand-in: an SMTP server on loopback that takes every message and passes none on. It keeps the latest ones
 * in memory for the operator to read.
 */
export class Mailbox {
  readonly #kept: KeptMessage[] = [];
  readonly #server: SMTPServer;
  #address = '';

  constructor() {
    this.#server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      size: LARGEST,
      onData: (stream, _session, done) => {
        simpleParser(stream).then(
          ({ from, to, subject, text }) => {
            this.#kept.unshift({
              id: uuidv7(),
              from: from?.text ?? '',
              to: [to ?? []]
                .flat()
                .map((each) => each.text)
                .join(', '),
              subject: subject ?? '',
              text: text ?? '',
              receivedAt: new Date(),
            });
            this.#kept.length = Math.min(this.#kept.length, MOST_KEPT);
            done();
          },
          (error: Error) => done(error),
        );
      },
    });
  }

  /** Begins to listen on a free port of loopback. */
  async listen(): Promise<void> {
    await new Promise<void>((resolve, reject) => {
      this.#server.once('error', reject);
      this.#server.listen(0, '127.0.0.1', () => resolve());
    });
    this.#server.on('error', () => undefined);
    const { port } = this.#server.server.address() as { port: number };
    this.#address = `smtp://127.0.0.1:${port}`;
  }

  /** Where mail goes, as an SMTP address. */
  get address(): string {
    return this.#address;
  }

  /** What was sent, the latest first. */
  get messages(): readonly KeptMessage[] {
    return this.#kept;
  }

  close(): Promise<void> {
    return new Promise((resolve) => this.#server.close(() => resolve()));
  }
}
