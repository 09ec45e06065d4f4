import type { SMTPServer } from 'smtp-server';
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
  #server: SMTPServer | undefined;
  #address = '';

  /** Begins to listen on a free port of loopback. */
  async listen(): Promise<void> {
    // Loaded here, since nothing but a demo listens.
    const { SMTPServer } = await import('smtp-server');
    const server = new SMTPServer({
      authOptional: true,
      disabledCommands: ['AUTH', 'STARTTLS'],
      size: LARGEST,
      onData: (stream, _session, done) => {
        // Loaded with the first message: most demos send none.
        const parsed = import('mailparser').then(({ simpleParser }) => simpleParser(stream));
        parsed.then(
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
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(0, '127.0.0.1', () => resolve());
    });
    server.on('error', () => undefined);
    this.#server = server;
    const { port } = server.server.address() as { port: number };
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
    return new Promise((resolve) => (this.#server ? this.#server.close(() => resolve()) : resolve()));
  }
}
