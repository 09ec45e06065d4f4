import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { Problem } from '../../ground/http/problem.js';
import { replies } from '../../ground/http/replies.js';
import { Instant, ref, Uuid } from '../../ground/http/schemas.js';
import type { Mailbox } from './mailbox.js';

/** What these are made of. */
interface Needs {
  readonly mailbox: Mailbox | null;
}

const MailSchema = Type.Object(
  {
    items: Type.Array(
      Type.Object({
        id: Uuid,
        from: Type.String(),
        to: Type.String(),
        subject: Type.String(),
        text: Type.String(),
        receivedAt: Instant,
      }),
    ),
    next: Type.Null(),
  },
  { $id: 'MailboxMessages' },
);

/** What the mailbox stand-in was sent, for the operator. */
export function mailRoutes(app: App, { mailbox }: Needs): void {
  app.addSchema(MailSchema);
  app.get(
    '/v1/operator/mailbox',
    {
      config: { doorway: 'operator' },
      schema: {
        operationId: 'readMailbox',
        tags: ['operator'],
        summary: 'What the mailbox stand-in was sent, the latest first',
        response: replies({ 200: ref(MailSchema) }, ['not-found']),
      },
    },
    () => {
      if (!mailbox)
        throw new Problem('not-found', 'There is no mailbox stand-in: mail goes to the configured server, or nowhere.');
      const items = mailbox.messages.map((message) => ({ ...message, receivedAt: message.receivedAt.toISOString() }));
      return { items, next: null };
    },
  );
}
