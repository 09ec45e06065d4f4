import { Card } from '@mui/material';
import type { Picture } from '@gather-lane/client';
import { useState } from 'react';
import { api, unwrap } from '../api';
import { useNotice } from '../common/notice';
import type { Values } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { PicturePicker } from '../pictures/picture-picker';
import { repeatable } from '../pictures/upload';
import { useSession } from '../session/session';
import { TextForm } from './text-form';
import { useRefreshLists } from './use-changes';

/** Where a post is written. */
export function Composer() {
  const { about } = useSession();
  const tell = useNotice();
  const refresh = useRefreshLists();
  const fields = useWritableFields('posts', 'creation');
  const [media, setMedia] = useState<Picture[]>([]);
  const post = async (text: string, values: Values) => {
    const body = {
      ...(text.trim() !== '' && { body: text }),
      ...(media.length > 0 && { media: media.map(({ id, alt }) => ({ id, alt })) }),
      ...(fields.length > 0 && { fields: values }),
    };
    unwrap(await api.POST('/v1/posts', { body, headers: repeatable() }));
    setMedia([]);
    tell('Posted.');
    await refresh();
  };
  return (
    <Card sx={{ p: 1.5 }}>
      <TextForm
        label="Write a post"
        action="Post"
        limit={about?.limits.post ?? 600}
        fields={fields}
        beside={<PicturePicker media={media} onChange={setMedia} />}
        full={media.length > 0}
        besideDiffers={media.length > 0}
        onSubmit={post}
      />
    </Card>
  );
}
