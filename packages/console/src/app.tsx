import { CssBaseline, ThemeProvider } from '@mui/material';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { BrowserRouter, Route, Routes } from 'react-router';
import { ServiceProblem } from '@gather-lane/client';
import { NoticeProvider } from './common/notice';
import { page } from './common/page';
import { Frame } from './frame';
import { LiveProvider } from './live/live';
import { SessionProvider } from './session/session';
import { theme } from './theme';

const overview = page(() => import('./overview/overview-page'), 'OverviewPage');
const model = page(() => import('./model/model-page'), 'ModelPage');
const ownership = page(() => import('./ownership/ownership-page'), 'OwnershipPage');
const weighting = page(() => import('./weighting/weighting-page'), 'WeightingPage');
const mailbox = page(() => import('./mailbox/mailbox-page'), 'MailboxPage');
const account = page(() => import('./account/account-page'), 'AccountPage');
const provider = page(() => import('./account/provider-page'), 'ProviderPage');
const resetPassword = page(() => import('./account/reset-password-page'), 'ResetPasswordPage');
const feed = page(() => import('./feed/feed-page'), 'FeedPage');
const hashtags = page(() => import('./hashtags/hashtags-page'), 'HashtagsPage');
const hashtag = page(() => import('./hashtags/hashtag-page'), 'HashtagPage');
const notifications = page(() => import('./notifications/notifications-page'), 'NotificationsPage');
const calls = page(() => import('./calls/calls-page'), 'CallsPage');
const trace = page(() => import('./calls/trace-page'), 'TracePage');
const walks = page(() => import('./walks/walks-page'), 'WalksPage');
const activity = page(() => import('./activity/activity-page'), 'ActivityPage');
const post = page(() => import('./posts/post-page'), 'PostPage');
const profile = page(() => import('./users/profile-page'), 'ProfilePage');

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
              <LiveProvider>
                <Routes>
                  <Route element={<Frame />}>
                    <Route index element={overview} />
                    <Route path="model" element={model} />
                    <Route path="model/:table" element={model} />
                    <Route path="model/:table/:key" element={model} />
                    <Route path="ownership" element={ownership} />
                    <Route path="weighting" element={weighting} />
                    <Route path="mailbox" element={mailbox} />
                    <Route path="account" element={account} />
                    <Route path="sign-in/:provider" element={provider} />
                    <Route path="reset-password" element={resetPassword} />
                    <Route path="feed" element={feed} />
                    <Route path="notifications" element={notifications} />
                    <Route path="hashtags" element={hashtags} />
                    <Route path="hashtags/:hashtag" element={hashtag} />
                    <Route path="calls" element={calls} />
                    <Route path="calls/:trace" element={trace} />
                    <Route path="walks" element={walks} />
                    <Route path="activity" element={activity} />
                    <Route path="posts/:post" element={post} />
                    <Route path="posts/:post/comments/:comment" element={post} />
                    <Route path="users/:user" element={profile} />
                    <Route path="users/:user/:tab" element={profile} />
                  </Route>
                </Routes>
              </LiveProvider>
            </SessionProvider>
          </BrowserRouter>
        </NoticeProvider>
      </QueryClientProvider>
    </ThemeProvider>
  );
}
