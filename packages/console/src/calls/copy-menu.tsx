import { Button, Menu, MenuItem } from '@mui/material';
import type { FoundOperation } from '@gather-lane/core/calls';
import { useState } from 'react';
import { useNotice } from '../common/notice';
import { asClientCode, asCommand, asCurl } from './copies';
import { toSent, type CallerChoice, type Draft } from './draft';

/** The call to take along: for a shell, as a command of ours, as code. */
export function CopyMenu({ found, draft, caller }: { found: FoundOperation; draft: Draft; caller: CallerChoice }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const tell = useNotice();
  const command = asCommand(found, draft);
  const copy = (text: string, what: string) => {
    setAnchor(null);
    navigator.clipboard.writeText(text).then(
      () => tell(`Copied ${what}.`),
      () => tell('This browser does not let the page copy: it works on localhost or over https.', 'error'),
    );
  };
  return (
    <>
      <Button onClick={(event) => setAnchor(event.currentTarget)} aria-haspopup="menu">
        Copy
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem onClick={() => copy(asCurl(toSent(found, draft), caller, window.location.origin), 'for curl')}>
          for curl
        </MenuItem>
        <MenuItem disabled={command === null} onClick={() => copy(command ?? '', 'as a command')}>
          {command === null ? 'as a command: none does just this' : 'as a command'}
        </MenuItem>
        <MenuItem onClick={() => copy(asClientCode(found, draft, caller), 'as client code')}>as client code</MenuItem>
      </Menu>
    </>
  );
}
