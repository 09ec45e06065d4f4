import { Box, Card, Link, Stack, Typography } from '@mui/material';
import { ServiceProblem } from '@gather-lane/client';
import { useQuery } from '@tanstack/react-query';
import { api, unwrap } from '../api';
import { Empty, Failed, LoadingPosts } from '../common/states';
import { Ago } from '../common/time';
import { OperatorOnly } from '../session/operator-only';

/** What the mailbox stand-in was sent. */
export function MailboxPage() {
  const mail = useQuery({
    queryKey: ['mailbox'],
    refetchInterval: 5_000,
    queryFn: async () => unwrap(await api.GET('/v1/operator/mailbox')).items,
  });
  const status = mail.error instanceof ServiceProblem ? mail.error.status : null;
  return (
    <Box sx={{ maxWidth: 720, mx: 'auto' }}>
      <Typography variant="h1">Mailbox</Typography>
      <Typography color="text.secondary" sx={{ mb: 2 }}>
        A stand-in: the demo hands all mail to it, and it passes none on. Nothing leaves this machine.
      </Typography>
      {mail.isPending && <LoadingPosts count={2} />}
      {status === 401 && <OperatorOnly title="The mailbox is for the operator" />}
      {status === 404 && (
        <Empty title="There is no stand-in here">Mail goes to the configured server, or nowhere without one.</Empty>
      )}
      {mail.isError && status !== 401 && status !== 404 && (
        <Failed error={mail.error} retry={() => void mail.refetch()} />
      )}
      {mail.data?.length === 0 && (
        <Empty title="Nothing was sent yet">
          Ask for a new password under <Link href="/reset-password">Forgot your password?</Link>, for example for
          odile@wherry-cut.example.
        </Empty>
      )}
      <Stack sx={{ gap: 1.5 }}>
        {mail.data?.map(({ id, from, to, subject, text, receivedAt }) => (
          <Card key={id} component="article" aria-label={subject} sx={{ p: 2 }}>
            <Stack direction="row" sx={{ justifyContent: 'space-between', gap: 2, flexWrap: 'wrap' }}>
              <Typography variant="h2">{subject}</Typography>
              <Typography variant="body2" color="text.secondary">
                <Ago instant={receivedAt} />
              </Typography>
            </Stack>
            <Typography variant="body2" color="text.secondary">
              to {to}, from {from}
            </Typography>
            <Typography component="div" sx={{ mt: 1.5, whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>
              {linked(text)}
            </Typography>
          </Card>
        ))}
      </Stack>
    </Box>
  );
}

/** The text of a message, its addresses as links. */
const linked = (text: string) =>
  text.split(/(https?:\/\/[^\s]+)/).map((part, i) =>
    i % 2 === 1 ? (
      <Link key={i} href={part}>
        {part}
      </Link>
    ) : (
      part
    ),
  );
