import { StandIn } from '../accounts/identities/stand-in.js';
import { Mailbox } from '../accounts/mail/mailbox.js';
import { page } from '../ground/http/html-page.js';
import type { Resources } from './resources.js';

/** What a demo has instead of the world outside. */
export interface StandIns {
  readonly standIn: StandIn | null;
  readonly mailbox: Mailbox | null;
}

const NOT_INSTALLED = 'ERR_MODULE_NOT_FOUND';

/**
 * Opens the stand-ins, which are a package of their own: whoever runs the service in earnest needs none of it.
 * @param wantsMailbox whether mail goes nowhere else
 * @param notice is told where the package is not installed
 */
export async function openStandIns(
  resources: Resources,
  wantsMailbox: boolean,
  notice: (text: string) => void,
): Promise<StandIns> {
  const made = await import('@gather-lane/stand-ins').catch((error: unknown) => {
    if ((error as { code?: string }).code !== NOT_INSTALLED) throw error;
    notice('Without its mailbox and its outside provider, which are a package: npm install @gather-lane/stand-ins');
    return null;
  });
  if (!made) return { standIn: null, mailbox: null };
  const standIn = new made.StandInProvider((title, body) => page(title, body, ''));
  await standIn.listen();
  resources.add('the stand-in provider', () => standIn.close());
  if (!wantsMailbox) return { standIn, mailbox: null };
  const mailbox = new made.Mailbox();
  await mailbox.listen();
  resources.add('the mailbox', () => mailbox.close());
  return { standIn, mailbox };
}
