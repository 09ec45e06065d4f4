import { hash, verify } from '@node-rs/argon2';
import { bounded } from '../../ground/http/bounded.js';

/** argon2id with 19 MiB and two passes: what OWASP's Password Storage Cheat Sheet asks for at least. */
const OPTIONS = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };
// Hashing is meant to be slow: more than two at once would starve the feed of processor time.
const inTurn = bounded(2, 200);
/** Made once and outside the line: were it refused there, every unknown user would be refused from then on. */
let nobodys: Promise<string> | undefined;

/** argon2id of a password, as a PHC string. @throws Problem `busy` */
export function hashPassword(password: string): Promise<string> {
  return inTurn(() => hash(password, OPTIONS));
}

/**
 * Whether a password is right. With no hash (an unknown user) it takes the same time and is wrong.
 * @throws Problem `busy`
 */
export async function isPassword(password: string, passwordHash: string | undefined): Promise<boolean> {
  const against = passwordHash ?? (await (nobodys ??= hash('nobody has this password', OPTIONS)));
  const right = await inTurn(() => verify(against, password));
  return passwordHash !== undefined && right;
}
