import { CssBaseline, ThemeProvider } from '@mui/material';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { lazy, Suspense } from 'react';
import { BrowserRouter, Route, Routes } from 'react-router';
import { ServiceProblem } from '@gather-lane/client';
import { AccountPage } from './account/account-page';
import { ProviderPage } from './account/provider-page';
import { ResetPasswordPage } from './account/reset-password-page';
import { LoadingPosts } from './common/states';
import { NoticeProvider } from './common/notice';
import { FeedPage } from './feed/feed-page';
import { Frame } from './frame';
import { MailboxPage } from './mailbox/mailbox-page';
import { OverviewPage } from './overview/overview-page';
import { PostPage } from './posts/post-page';
import { SessionProvider } from './session/session';
import { theme } from './theme';
import { ProfilePage } from './users/profile-page';

// The diagram's packages are a good part of the whole: they come when they are looked at.
const ModelPage = lazy(async () => ({ default: (await import('./model/model-page')).ModelPage }));

const model = (
  <Suspense fallback={<LoadingPosts count={1} />}>
    <ModelPage />
  </Suspense>
);

// So do those of the chart.
const OwnershipPage = lazy(async () => ({ default: (await import('./ownership/ownership-page')).OwnershipPage }));

const ownership = (
  <Suspense fallback={<LoadingPosts count={1} />}>
    <OwnershipPage />
  </Suspense>
);

const WeightingPage = lazy(async () => ({ default: (await import('./weighting/weighting-page')).WeightingPage }));

const weighting = (
  <Suspense fallback={<LoadingPosts count={1} />}>
    <WeightingPage />
  </Suspense>
);

const queryClient = new QueryClient({
  defaultOptions: {
    // The service is often on this very machine: what the browser thinks of the network says nothing about it.
    mutations: { networkMode: 'always' },
    queries: {
      networkMode: 'always',
      staleTime: 5_000,
      // What the service refused stays refused; only silence is worth another try.
      retry: (failures, error) => failures < 1 && !(error instanceof ServiceProblem),
    },
  },
});

/** The console: its providers, and which page each address shows. */
export function App() {
  return (
    <ThemeProvider theme={theme} defaultMode="system">
      <CssBaseline />
      <QueryClientProvider client={queryClient}>
        <NoticeProvider>
          <BrowserRouter>
            <SessionProvider>
              <Routes>
                <Route element={<Frame />}>
                  <Route index element={<OverviewPage />} />
                  <Route path="model" element={model} />
                  <Route path="model/:table" element={model} />
                  <Route path="model/:table/:key" element={model} />
                  <Route path="ownership" element={ownership} />
                  <Route path="weighting" element={weighting} />
                  <Route path="mailbox" element={<MailboxPage />} />
                  <Route path="account" element={<AccountPage />} />
                  <Route path="sign-in/:provider" element={<ProviderPage />} />
                  <Route path="reset-password" element={<ResetPasswordPage />} />
                  <Route path="feed" element={<FeedPage />} />
                  <Route path="posts/:post" element={<PostPage />} />
                  <Route path="users/:user" element={<ProfilePage />} />
                  <Route path="users/:user/:tab" element={<ProfilePage />} />
                </Route>
              </Routes>
            </SessionProvider>
          </BrowserRouter>
        </NoticeProvider>
      </QueryClientProvider>
    </ThemeProvider>
  );
}
