import { mdiBellOutline, mdiWeatherNight, mdiWeatherSunny } from '@mdi/js';
import { Badge, Box, Container, IconButton, Link, Stack, Tooltip, useColorScheme, useMediaQuery } from '@mui/material';
import { NavLink, Outlet } from 'react-router';
import { Icon } from './common/icon';
import { Mark } from './common/mark';
import { ActingAs } from './session/acting-as';
import { useUnseen } from './notifications/use-unseen';
import { useSession } from './session/session';

const PAGES = [
  { to: '/', name: 'Overview' },
  { to: '/model', name: 'Model' },
  { to: '/feed', name: 'Feed' },
  { to: '/hashtags', name: 'Hashtags' },
  { to: '/weighting', name: 'Weighting' },
  { to: '/ownership', name: 'Ownership' },
  { to: '/calls', name: 'Calls' },
  { to: '/activity', name: 'Activity' },
];

/** The bar with the pages and the acting-as switch, around whatever page is shown. */
export function Frame() {
  const { about, session } = useSession();
  return (
    <>
      <Link
        href="#main"
        sx={{
          'position': 'absolute',
          'left': 8,
          'top': -60,
          'p': 1,
          'zIndex': 10,
          'bgcolor': 'background.paper',
          '&:focus': { top: 8 },
        }}
      >
        Skip to the page
      </Link>
      <Box
        component="header"
        sx={{
          position: 'sticky',
          top: 0,
          zIndex: 5,
          bgcolor: 'background.paper',
          borderBottom: 1,
          borderColor: 'divider',
        }}
      >
        <Container
          maxWidth="xl"
          sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', columnGap: 1, rowGap: 0.75, py: 1.25 }}
        >
          <Stack
            component={NavLink}
            to="/"
            direction="row"
            sx={{
              alignItems: 'center',
              gap: 1,
              color: 'text.primary',
              textDecoration: 'none',
              fontWeight: 700,
              fontSize: '1.05rem',
            }}
          >
            <Mark size={26} /> Gather Lane
          </Stack>
          <Stack
            component="nav"
            aria-label="Pages"
            direction="row"
            sx={{ gap: 0.25, maxWidth: '100%', overflowX: 'auto', fontSize: '0.97rem' }}
          >
            {PAGES.map((page) => (
              <PageLink key={page.to} {...page} />
            ))}
            {about?.mailbox && <PageLink to="/mailbox" name="Mailbox" />}
            <Link href="/docs" underline="none" sx={{ px: 0.625, py: 0.75, color: 'text.secondary', fontWeight: 600 }}>
              Docs
            </Link>
          </Stack>
          <Box sx={{ flexGrow: 1 }} />
          <ActingAs />
          <Stack direction="row" sx={{ gap: 0.5 }}>
            {session && <NotificationsLink />}
            <SchemeSwitch />
          </Stack>
        </Container>
      </Box>
      <Container id="main" component="main" maxWidth="lg" sx={{ py: 3 }}>
        <Outlet />
      </Container>
    </>
  );
}

function PageLink({ to, name }: { to: string; name: string }) {
  return (
    <Link
      component={NavLink}
      to={to}
      underline="none"
      sx={{
        'px': 0.625,
        'py': 0.75,
        'color': 'text.secondary',
        'borderRadius': 1,
        'fontWeight': 600,
        '&:hover': { bgcolor: 'action.hover' },
        '&.active': {
          color: 'primary.main',
          boxShadow: (t) => `inset 0 -2px 0 ${t.vars!.palette.primary.main}`,
          borderRadius: 0,
        },
      }}
    >
      {name}
    </Link>
  );
}

/** To the notifications, with how many are unseen. */
function NotificationsLink() {
  const unseen = useUnseen();
  const count = unseen && unseen.unseen > 0 ? `${unseen.unseen}${unseen.more ? '+' : ''}` : null;
  const label = count ? `Notifications, ${count} new` : 'Notifications';
  return (
    <Tooltip title={label}>
      <IconButton
        component={NavLink}
        to="/notifications"
        aria-label={label}
        size="small"
        sx={{ '&.active': { color: 'primary.main' } }}
      >
        <Badge badgeContent={count} color="secondary">
          <Icon outline={mdiBellOutline} fontSize="small" />
        </Badge>
      </IconButton>
    </Tooltip>
  );
}

function SchemeSwitch() {
  const { mode, setMode } = useColorScheme();
  const systemIsDark = useMediaQuery('(prefers-color-scheme: dark)');
  const dark = mode === 'dark' || (mode === 'system' && systemIsDark);
  const label = dark ? 'Light colours' : 'Dark colours';
  return (
    <Tooltip title={label}>
      <IconButton aria-label={label} onClick={() => setMode(dark ? 'light' : 'dark')} size="small">
        {dark ? (
          <Icon outline={mdiWeatherSunny} fontSize="small" />
        ) : (
          <Icon outline={mdiWeatherNight} fontSize="small" />
        )}
      </IconButton>
    </Tooltip>
  );
}
