import { Alert, Snackbar } from '@mui/material';
import { createContext, useCallback, useContext, useState, type ReactNode } from 'react';

type Tell = (text: string, severity?: 'success' | 'error') => void;

const NoticeContext = createContext<Tell>(() => undefined);

/** Says a word of confirmation, or of failure, at the foot of the page. */
export const useNotice = (): Tell => useContext(NoticeContext);

/** Holds the notice of the moment for everything inside it. */
export function NoticeProvider({ children }: { children: ReactNode }) {
  const [notice, setNotice] = useState<{ text: string; severity: 'success' | 'error'; n: number } | null>(null);
  const [open, setOpen] = useState(false);
  const tell = useCallback<Tell>((text, severity = 'success') => {
    setNotice((before) => ({ text, severity, n: (before?.n ?? 0) + 1 }));
    setOpen(true);
  }, []);
  return (
    <NoticeContext value={tell}>
      {children}
      <Snackbar
        key={notice?.n}
        open={open}
        autoHideDuration={notice?.severity === 'error' ? 8000 : 4000}
        onClose={(_, reason) => reason !== 'clickaway' && setOpen(false)}
      >
        <Alert severity={notice?.severity ?? 'success'} variant="filled" onClose={() => setOpen(false)}>
          {notice?.text}
        </Alert>
      </Snackbar>
    </NoticeContext>
  );
}
