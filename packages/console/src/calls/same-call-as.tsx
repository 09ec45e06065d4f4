import {
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControlLabel,
  Stack,
  Typography,
} from '@mui/material';
import { useState } from 'react';
import { UserPicker } from './caller-picker';
import { callerName, type CallerChoice } from './draft';

/** Asks as whom else the same call is to be made, and makes it as each of them. */
export function SameCallAs({
  caller,
  busy,
  compare,
}: {
  caller: CallerChoice;
  busy: boolean;
  compare: (callers: readonly CallerChoice[]) => void;
}) {
  const [open, setOpen] = useState(false);
  const [other, setOther] = useState('@wren');
  const [off, setOff] = useState<readonly string[]>([]);
  const user = caller.user ?? '@odile';
  const all: CallerChoice[] = [
    { as: 'user', user },
    ...(other !== user ? [{ as: 'user', user: other } as const] : []),
    { as: 'blocked', user: other === user ? '@wren' : other },
    { as: 'nobody' },
    { as: 'ended', user },
    { as: 'operator' },
  ];
  const chosen = all.filter((each) => !off.includes(each.as + (each.as === 'user' ? each.user : '')));
  const key = (each: CallerChoice) => each.as + (each.as === 'user' ? each.user : '');
  return (
    <>
      <Button variant="outlined" loading={busy} onClick={() => setOpen(true)}>
        Same call as…
      </Button>
      <Dialog open={open} onClose={() => setOpen(false)} aria-labelledby="same-call-as">
        <DialogTitle id="same-call-as">Same call as somebody else</DialogTitle>
        <DialogContent>
          <Stack sx={{ gap: 1, pt: 1, minWidth: { sm: 380 } }}>
            <Typography color="text.secondary">
              Each is made on the same state, in a transaction that is rolled back: nothing stays.
            </Typography>
            <UserPicker label="Another user" value={other} onChange={setOther} />
            {all.map((each) => (
              <FormControlLabel
                key={key(each)}
                control={
                  <Checkbox
                    size="small"
                    checked={!off.includes(key(each))}
                    onChange={(event) =>
                      setOff(event.target.checked ? off.filter((name) => name !== key(each)) : [...off, key(each)])
                    }
                  />
                }
                label={
                  each.as === 'blocked' ? `${callerName(each)} by whoever owns what the path names` : callerName(each)
                }
              />
            ))}
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setOpen(false)}>Cancel</Button>
          <Button
            variant="contained"
            disabled={chosen.length === 0}
            onClick={() => {
              setOpen(false);
              compare(chosen);
            }}
          >
            Compare {chosen.length}
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
