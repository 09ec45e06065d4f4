import { didYouMean, NOTIFICATION_KINDS, type NotificationKind } from '@gather-lane/core';
import { Type } from 'typebox';
import type { App } from '../../ground/http/app-type.js';
import { signedIn } from '../../ground/http/doorway.js';
import { linkNext } from '../../ground/http/pagination.js';
import { invalid } from '../../ground/http/problem.js';
import type { PublicAddress } from '../../ground/http/public-address.js';
import { replies } from '../../ground/http/replies.js';
import { pageQuery, ref } from '../../ground/http/schemas.js';
import {
  choicesPatch,
  ChoicesSchema,
  NotificationPageSchema,
  NotificationSchema,
  seenBody,
  UnseenSchema,
} from './schema.js';
import type { Notifications } from './service.js';

/** What these are made of. */
interface Needs {
  readonly notifications: Notifications;
  readonly address: PublicAddress;
}

/** Kinds as a query names them, in the order of the kinds. @throws Problem `invalid` for one that is none */
function kindsOf(query: string | undefined): NotificationKind[] {
  if (query === undefined) return [...NOTIFICATION_KINDS];
  const named = query.split(',').map((name) => name.trim());
  const unknown = named.find((name) => !(NOTIFICATION_KINDS as readonly string[]).includes(name));
  if (unknown !== undefined)
    throw invalid(
      '/kinds',
      `names no kind with "${unknown}"${didYouMean(unknown, NOTIFICATION_KINDS)}: they are ${NOTIFICATION_KINDS.join(', ')}`,
    );
  return NOTIFICATION_KINDS.filter((kind) => named.includes(kind));
}

/** Routes of what somebody is told. */
export function notificationRoutes(app: App, { notifications, address }: Needs): void {
  for (const schema of [NotificationSchema, NotificationPageSchema, UnseenSchema, ChoicesSchema]) app.addSchema(schema);
  const about = { tags: ['notifications'] };

  app.get(
    '/v1/notifications',
    {
      config: { doorway: 'signed-in' },
      schema: {
        ...about,
        operationId: 'listNotifications',
        summary: 'What the caller is told, the latest first',
        description:
          'Acts of one kind on one target are one notification while they are unseen. What rises while one reads on leaves the later pages, and stays unseen.',
        querystring: Type.Object({
          ...pageQuery,
          kinds: Type.Optional(
            Type.String({ maxLength: 100, description: 'Only these kinds, with commas between: `mentioned,replied`' }),
          ),
        }),
        response: replies({ 200: ref(NotificationPageSchema) }, ['invalid', 'bad-cursor', 'scroll-expired']),
      },
    },
    async (request, reply) => {
      const { kinds, ...page } = request.query;
      const found = await notifications.list(signedIn(request).userId, kindsOf(kinds), page);
      linkNext(request, reply, address.base, found.next);
      return found;
    },
  );

  app.get(
    '/v1/notifications/unseen',
    {
      config: { doorway: 'signed-in' },
      schema: {
        ...about,
        operationId: 'countUnseen',
        summary: 'How many notifications the caller has not seen, on whichever device',
        response: replies({ 200: ref(UnseenSchema) }),
      },
    },
    (request) => notifications.unseen(signedIn(request).userId),
  );

  app.put(
    '/v1/notifications/seen',
    {
      config: { doorway: 'signed-in' },
      schema: {
        ...about,
        operationId: 'markSeen',
        summary: 'Mark as seen all that a list could show; what came since stays unseen',
        body: seenBody,
        response: replies({ 200: ref(UnseenSchema) }, [
          'invalid',
          'bad-cursor',
          'scroll-expired',
          'too-large',
          'wrong-media-type',
        ]),
      },
    },
    async (request) => {
      const { userId } = signedIn(request);
      await notifications.markSeen(userId, request.body.through);
      return notifications.unseen(userId);
    },
  );

  app.get(
    '/v1/me/notification-choices',
    {
      config: { doorway: 'signed-in' },
      schema: {
        ...about,
        operationId: 'getNotificationChoices',
        summary: 'Of which kinds the caller is told',
        response: replies({ 200: ref(ChoicesSchema) }),
      },
    },
    (request) => notifications.choices(signedIn(request).userId),
  );

  app.patch(
    '/v1/me/notification-choices',
    {
      config: { doorway: 'signed-in' },
      schema: {
        ...about,
        operationId: 'chooseNotifications',
        summary: 'Switch kinds off or on: one that is off makes nothing from then on',
        body: choicesPatch,
        response: replies({ 200: ref(ChoicesSchema) }, ['invalid', 'too-large', 'wrong-media-type']),
      },
    },
    (request) => notifications.choose(signedIn(request).userId, request.body),
  );
}
