import { Avatar as MuiAvatar } from '@mui/material';
import { pathOf } from '../pictures/pictures';

/** Somebody's picture, or the beginning of their name. */
export function Avatar({ name, picture, size = 28 }: { name: string; picture: string | null; size?: number }) {
  // A picture elsewhere is not loaded: the console fetches nothing from other places.
  const own = picture !== null && picture.includes('/media/') ? pathOf(picture) : undefined;
  return (
    <MuiAvatar
      {...(own !== undefined && { src: own })}
      alt=""
      aria-hidden
      sx={{ width: size, height: size, fontSize: size * 0.45, bgcolor: 'action.selected', color: 'text.primary' }}
    >
      {[...name][0]?.toUpperCase()}
    </MuiAvatar>
  );
}
