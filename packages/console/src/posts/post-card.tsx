import { mdiMessageOutline, mdiChevronDown, mdiPencilOutline, mdiDeleteOutline } from '@mdi/js';
import { Button, Card, Stack, Tooltip, Typography } from '@mui/material';
import type { FeedItem, Picture, Post } from '@gather-lane/client';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { Icon } from '../common/icon';
import { api, unwrap } from '../api';
import { ChangedMeanwhile, ownParts, type Readable } from '../common/changed-meanwhile';
import { useNotice } from '../common/notice';
import { SpanText } from '../common/text';
import { inUtc, sayMove } from '../common/time';
import { useEdit } from '../common/use-edit';
import { FieldValues } from '../fields/field-values';
import type { Values } from '../fields/own-fields';
import { useWritableFields } from '../fields/use-writable-fields';
import { useOnScreen } from '../live/live';
import { PicturePicker } from '../pictures/picture-picker';
import { Pictures } from '../pictures/pictures';
import { useSession } from '../session/session';
import { Byline } from './byline';
import { ConfirmRemoval } from './confirm-removal';
import { PlacePanel } from './place-panel';
import { ReactionButtons } from './reaction-buttons';
import { TextForm } from './text-form';
import { useRefreshLists } from './use-changes';
import { WatchButton } from './watch-button';
import { VersionsDialog } from './versions-dialog';
import { WhoReacted } from './who-reacted';

const chosen = (list: readonly Picture[]) => list.map(({ id, alt }) => ({ id, alt }));

const PARTS: Readable<Post> = [
  ['Text', ({ body }) => body],
  ['Pictures', ({ media }) => media.map(({ alt }, i) => alt || `picture ${i + 1}`).join(', ')],
];

/** A post, the same wherever posts are listed. */
export function PostCard({
  post,
  whole = false,
  onDeleted,
}: {
  post: FeedItem;
  whole?: boolean;
  onDeleted?: () => void;
}) {
  const { about, session } = useSession();
  useOnScreen(post.id);
  const tell = useNotice();
  const refresh = useRefreshLists();
  const [removing, setRemoving] = useState<'delete' | 'withhold' | null>(null);
  const [comparing, setComparing] = useState(false);
  // A post of its own page is looked at closely.
  const [explained, setExplained] = useState(whole);
  const [listing, setListing] = useState(false);
  const own = session?.id === post.author.id;
  const path = { post: post.id };
  const { edit, begin, end, save } = useEdit<Post>(async () =>
    unwrap(await api.GET('/v1/posts/{post}', { params: { path } })),
  );
  const [media, setMedia] = useState<Picture[]>([]);
  const mediaDiffers = edit !== null && JSON.stringify(chosen(media)) !== JSON.stringify(chosen(edit.base.media));

  const fields = useWritableFields('posts', 'edit');
  const saveEdit = async (body: string, values: Values) => {
    await save(async (headers, base) => {
      unwrap(
        await api.PATCH('/v1/posts/{post}', {
          params: { path },
          body: {
            ...(body !== base.body && { body: body.trim() === '' ? null : body }),
            ...(mediaDiffers && { media: chosen(media) }),
            ...(fields.length > 0 && { fields: values }),
          },
          headers,
        }),
      );
      // The form closes on what is there now.
      await refresh();
    });
    tell('Saved.');
  };
  const remove = async (reason: string) => {
    if (removing === 'withhold')
      unwrap(await api.POST('/v1/posts/{post}/withhold', { params: { path }, body: { reason } }));
    else unwrap(await api.DELETE('/v1/posts/{post}', { params: { path, query: reason ? { reason } : {} } }));
    setRemoving(null);
    tell(removing === 'withhold' ? 'Withheld.' : 'Deleted.');
    onDeleted?.();
    await refresh();
  };

  return (
    <Card component="article" aria-label={`Post by ${post.author.name}`} sx={{ px: 2, pt: 1.5, pb: 1 }}>
      <Byline
        author={post.author}
        createdAt={post.createdAt}
        edited={post.editedAt !== null}
        {...(!whole && { to: `/posts/${post.id}` })}
      />
      {edit ? (
        <Stack sx={{ my: 1.5 }}>
          <TextForm
            label="Edit the post"
            action="Save"
            limit={about?.limits.post ?? 600}
            initial={edit.base.body}
            fields={fields}
            values={edit.base.fields}
            beside={<PicturePicker media={media} onChange={setMedia} />}
            full={media.length > 0}
            besideDiffers={mediaDiffers}
            {...(edit.newest && {
              conflict: <ChangedMeanwhile edit={edit} parts={[...PARTS, ...ownParts<Post>(fields)]} />,
            })}
            onSubmit={saveEdit}
            onCancel={() => {
              end();
              if (edit.newest) void refresh();
            }}
          />
        </Stack>
      ) : (
        post.body !== '' && (
          <Typography
            sx={{ my: 0.75, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere', fontSize: whole ? '1.15rem' : undefined }}
          >
            <SpanText text={post.body} spans={post.spans} />
          </Typography>
        )
      )}
      {!edit && <Pictures media={post.media} />}
      {!edit && <FieldValues table="posts" values={post.fields} />}
      <Stack direction="row" sx={{ alignItems: 'center', gap: 0.5, flexWrap: 'wrap', mx: -0.75 }}>
        <Button
          component={RouterLink}
          to={`/posts/${post.id}`}
          color="inherit"
          startIcon={<Icon outline={mdiMessageOutline} />}
          sx={{ color: 'text.secondary' }}
          aria-label={`${post.tallies.comments} comments`}
        >
          {post.tallies.comments}
        </Button>
        <ReactionButtons thing={post} on="post" />
        {whole && Object.keys(post.tallies.reactions).length > 0 && (
          <Button color="inherit" sx={{ color: 'text.secondary' }} onClick={() => setListing(true)}>
            Net {post.tallies.net}: who
          </Button>
        )}
        {whole && <WatchButton post={post} />}
        <StandsButton post={post} open={explained} onToggle={() => setExplained(!explained)} />
        <Stack direction="row" sx={{ ml: 'auto' }}>
          {post.can.edit && !edit && (
            <Button
              startIcon={<Icon outline={mdiPencilOutline} />}
              onClick={() => {
                setMedia(post.media);
                begin(post);
              }}
            >
              Edit
            </Button>
          )}
          {post.editedAt !== null && (post.can.edit || post.can.withhold) && (
            <Button onClick={() => setComparing(true)}>Before</Button>
          )}
          {post.can.withhold && <Button onClick={() => setRemoving('withhold')}>Withhold</Button>}
          {post.can.delete && (
            <Button startIcon={<Icon outline={mdiDeleteOutline} />} color="error" onClick={() => setRemoving('delete')}>
              Delete
            </Button>
          )}
        </Stack>
      </Stack>
      {explained && session && <PlacePanel post={post.id} laneTime={post.laneTime} />}
      {listing && <WhoReacted post={post.id} onClose={() => setListing(false)} />}
      {comparing && <VersionsDialog post={post.id} onClose={() => setComparing(false)} />}
      {removing && (
        <ConfirmRemoval
          what="post"
          moderating={!own}
          withhold={removing === 'withhold'}
          onDone={remove}
          onClose={() => setRemoving(null)}
        />
      )}
    </Card>
  );
}

function StandsButton({ post, open, onToggle }: { post: FeedItem; open: boolean; onToggle: () => void }) {
  const moved = Date.parse(post.laneTime) - Date.parse(post.createdAt);
  const label = moved === 0 ? 'stands where posted' : `stands ${sayMove(moved)}`;
  const color = moved === 0 ? 'text.secondary' : 'secondary.main';
  const { session } = useSession();
  if (!session)
    return (
      <Tooltip title={`Stands at ${inUtc(post.laneTime)} in a feed by lane time`}>
        <Typography variant="body2" sx={{ color, px: 1 }}>
          {label}
        </Typography>
      </Tooltip>
    );
  return (
    <Button
      color="inherit"
      sx={{ color }}
      onClick={onToggle}
      aria-expanded={open}
      endIcon={<Icon outline={mdiChevronDown} sx={{ transform: open ? 'rotate(180deg)' : 'none' }} />}
    >
      {label}
    </Button>
  );
}
