import { Button, Dialog, DialogActions, DialogContent, DialogTitle, Stack, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { Failed, LoadingPosts } from '../common/states';
import { inUtc } from '../common/time';

/** What a post said before its edits, the latest first. */
export function VersionsDialog({ post, onClose }: { post: string; onClose: () => void }) {
  const versions = useQuery({
    queryKey: ['versions', post],
    queryFn: async () => unwrap(await api.GET('/v1/posts/{post}/versions', { params: { path: { post } } })).items,
  });
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>Before the edits</DialogTitle>
      <DialogContent>
        {versions.isPending && <LoadingPosts count={1} />}
        {versions.isError && <Failed error={versions.error} retry={() => void versions.refetch()} />}
        <Stack sx={{ gap: 2 }}>
          {versions.data?.map(({ version, body, media, createdAt }) => (
            <div key={version}>
              <Typography variant="body2" color="text.secondary">
                Version {version}, from {inUtc(createdAt)} on
                {media.length > 0 && ` · ${media.length === 1 ? 'a picture' : `${media.length} pictures`}`}
              </Typography>
              <Typography sx={{ whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>
                {body || 'Pictures only'}
              </Typography>
            </div>
          ))}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} autoFocus>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
