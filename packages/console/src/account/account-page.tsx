import { Box, Stack, Typography } from '@mui/material';
import { Empty } from '../common/states';
import { useSession } from '../session/session';
import { DeleteAccount } from './delete-account';
import { IdentitiesCard } from './identities-card';
import { PasswordCard } from './password-card';
import { RemovedCard } from './removed-card';
import { SessionsCard } from './sessions-card';

/** One's own account: what is out of sight, where one is signed in, how one signs in, and how to leave. */
export function AccountPage() {
  const { session, askSignIn } = useSession();
  return (
    <Box sx={{ maxWidth: 720, mx: 'auto' }}>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Account{session && ` of @${session.handle}`}
      </Typography>
      {session ? (
        <Stack sx={{ gap: 2 }} key={session.id}>
          <RemovedCard />
          <SessionsCard />
          <PasswordCard />
          <IdentitiesCard />
          <DeleteAccount handle={session.handle} />
        </Stack>
      ) : (
        <Empty title="Nobody is signed in">
          <a
            href="#sign-in"
            onClick={(event) => {
              event.preventDefault();
              askSignIn();
            }}
          >
            Sign in
          </a>{' '}
          to see your account.
        </Empty>
      )}
    </Box>
  );
}
