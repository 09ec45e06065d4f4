/** A message that the mailbox of a demo was sent. */
export interface KeptMessage {
  readonly id: string;
  readonly from: string;
  readonly to: string;
  readonly subject: string;
  readonly text: string;
  readonly receivedAt: Date;
}

/** The mailbox stand-in of a demo: it takes every message and passes none on. */
export abstract class Mailbox {
  /** Where mail goes, as an SMTP address. */
  abstract get address(): string;
  /** What was sent, the latest first. */
  abstract get messages(): readonly KeptMessage[];
}
