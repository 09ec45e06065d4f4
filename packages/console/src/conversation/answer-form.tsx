import type { Comment } from '@gather-lane/client';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import type { Values } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { repeatable } from '../pictures/upload';
import { TextForm } from '../posts/text-form';
import { useRefreshLists } from '../posts/use-changes';
import { useSession } from '../session/session';

interface Props {
  readonly post: string;
  /** The comment that is answered; the post itself without one. */
  readonly to?: Comment;
  readonly onDone?: () => void;
  readonly onCancel?: () => void;
}

/** Where a comment is written: below the conversation, or in the place of the answer. */
export function AnswerForm({ post, to, onDone, onCancel }: Props) {
  const { about } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const fields = useWritableFields('comments', 'creation');
  const send = async (body: string, values: Values) => {
    unwrap(
      await api.POST('/v1/posts/{post}/comments', {
        params: { path: { post } },
        body: { body, parentId: to?.id ?? null, ...(fields.length > 0 && { fields: values }) },
        headers: repeatable(),
      }),
    );
    tell('Commented.');
    onDone?.();
    await refresh();
  };
  return (
    <TextForm
      label={to?.author ? `Answer @${to.author.handle}` : 'Comment'}
      action={to ? 'Answer' : 'Comment'}
      limit={about?.limits.comment ?? 400}
      fields={fields}
      conversation={post}
      onSubmit={send}
      {...(onCancel && { onCancel })}
    />
  );
}
