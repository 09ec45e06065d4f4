import { randomBytes } from 'node:crypto';
import type { DataSource } from 'typeorm';
import { inTransaction } from '../../ground/database/transaction.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { Problem } from '../../ground/http/problem.js';
import type { Mailer } from '../mail/mailer.js';
import { hashPassword } from '../sessions/passwords.js';
import type { Sessions } from '../sessions/service.js';
import { hashOf } from '../sessions/tokens.js';
import type { Users } from '../users/service.js';

const MINUTES = 30;
/** So many links an hour for one account: more would only fill its owner's mailbox. */
const MOST_AN_HOUR = 3;

/** A link, unless the account had enough of them lately. Cost: one range of password_resets_user. */
const MAKE = `
  INSERT INTO password_resets (token_hash, user_id, expires_at)
  SELECT $1, $2, clock_timestamp() + make_interval(mins => ${MINUTES})
  WHERE (SELECT count(*) FROM password_resets WHERE user_id = $2 AND created_at > clock_timestamp() - interval '1 hour') < ${MOST_AN_HOUR}
  RETURNING token_hash`;

/** Uses a link up: of two who use it at once one wins. */
const USE = `
  UPDATE password_resets SET used_at = clock_timestamp()
  WHERE token_hash = $1 AND used_at IS NULL AND expires_at > clock_timestamp() RETURNING user_id`;

const USE_THE_OTHERS = `UPDATE password_resets SET used_at = clock_timestamp() WHERE user_id = $1 AND used_at IS NULL`;

/** Forgotten passwords. */
export class PasswordResets {
  readonly #dataSource: DataSource;
  readonly #users: Users;
  readonly #sessions: Sessions;
  readonly #mailer: Mailer;
  readonly #address: PublicAddress;
  readonly #link: string | undefined;

  constructor(
    dataSource: DataSource,
    others: { readonly users: Users; readonly sessions: Sessions; readonly mailer: Mailer },
    address: PublicAddress,
    link: string | undefined,
  ) {
    this.#dataSource = dataSource;
    this.#users = others.users;
    this.#sessions = others.sessions;
    this.#mailer = others.mailer;
    this.#address = address;
    this.#link = link;
  }

  /**
   * Sends a one-time link to an account's e-mail, if there is one. The caller learns nothing from it, so it is meant to
   * be run after the answer has gone out.
   */
  async send(email: string): Promise<void> {
    const credential = await this.#users.credentialOf(email);
    if (!credential) return;
    const token = randomBytes(32).toString('base64url');
    const made = await inTransaction(this.#dataSource, async (manager) => {
      // Links of one account are counted one after the other.
      await manager.query(`SELECT FROM users WHERE id = $1 FOR NO KEY UPDATE`, [credential.userId]);
      return manager.query<unknown[]>(MAKE, [hashOf(token), credential.userId]);
    });
    if (made.length === 0) return;
    const link = (this.#link ?? this.#address.to('/reset-password#token={token}')).replace('{token}', token);
    await this.#mailer.send({
      to: credential.email,
      subject: 'Set a new password',
      text: [
        'Somebody, probably you, asked for a new password for the account with this e-mail.',
        `Set one here, within ${MINUTES} minutes; the link works once:`,
        link,
        'If it was not you, do nothing: your password stays as it is.',
      ].join('\n\n'),
    });
  }

  /** @throws Problem `no-mail` where no mail can be sent at all, whoever asks */
  requireMail(): void {
    if (!this.#mailer.ready)
      throw new Problem('no-mail', 'No mail server is configured: set mail.smtp, or ask the operator for help.');
  }

  /**
   * Sets a new password by a link, which is then used up with all others of the account; every session ends.
   * @throws Problem `bad-link` for a link that was used, is too old, or is none
   */
  async redeem(token: string, password: string): Promise<void> {
    const hash = await hashPassword(password);
    await inTransaction(this.#dataSource, async (manager) => {
      const [rows] = await manager.query<[{ user_id: string }[], number]>(USE, [hashOf(token)]);
      if (!rows[0])
        throw new Problem('bad-link', 'The link was used already, or is older than 30 minutes: ask for another.');
      await manager.query(USE_THE_OTHERS, [rows[0].user_id]);
      await this.#sessions.resetPassword(manager, rows[0].user_id, hash);
    });
  }

  /** Forgets links that are of no use any more. */
  async forget(): Promise<void> {
    await this.#dataSource.query(`DELETE FROM password_resets WHERE expires_at < clock_timestamp() - interval '1 day'`);
  }
}
