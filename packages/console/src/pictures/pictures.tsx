import { mdiImageBrokenVariant } from '@mdi/js';
import { Box, Typography } from '@mui/material';
import type { Picture } from '@gather-lane/client';
import { useState } from 'react';
import { Icon } from '../common/icon';

/** The pictures of a post: in their proportions, never wider than the column and never taller than the window. */
export function Pictures({ media }: { media: readonly Picture[] }) {
  if (media.length === 0) return null;
  const single = media.length === 1;
  return (
    <Box
      sx={{
        display: 'grid',
        gap: 1,
        my: 1,
        alignItems: 'start',
        gridTemplateColumns: single ? '1fr' : 'repeat(auto-fill, minmax(min(240px, 100%), 1fr))',
      }}
    >
      {media.map((picture) => (
        <OnePicture key={picture.id} picture={picture} />
      ))}
    </Box>
  );
}

function OnePicture({ picture }: { picture: Picture }) {
  const { width, height, sizes, placeholder, alt, url } = picture;
  const [state, setState] = useState<'loading' | 'there' | 'failed'>('loading');
  const frame = {
    aspectRatio: `${width} / ${height}`,
    width: '100%',
    // As tall as the window allows, and then as wide as its proportions say.
    maxWidth: `min(${width}px, calc((100vh - 160px) * ${width / height}))`,
    borderRadius: 1,
    border: 1,
    borderColor: 'divider',
  };
  if (state === 'failed')
    return (
      <Box
        role="img"
        aria-label={alt || 'A picture that could not be loaded'}
        sx={{
          ...frame,
          display: 'grid',
          placeContent: 'center',
          justifyItems: 'center',
          color: 'text.secondary',
          p: 1,
        }}
      >
        <Icon outline={mdiImageBrokenVariant} />
        <Typography variant="body2">{alt || 'This picture could not be loaded.'}</Typography>
      </Box>
    );
  return (
    <Box
      component="img"
      src={pathOf(url)}
      srcSet={sizes.map((size) => `${pathOf(size.url)} ${size.width}w`).join(', ')}
      sizes="(max-width: 760px) 100vw, 720px"
      width={width}
      height={height}
      alt={alt}
      loading="lazy"
      onLoad={() => setState('there')}
      onError={() => setState('failed')}
      sx={{
        ...frame,
        display: 'block',
        height: 'auto',
        objectFit: 'cover',
        // The blurred one keeps the place until the picture is there.
        background: state === 'loading' ? `center / cover url(${placeholder})` : 'none',
      }}
    />
  );
}

/** Pictures are of the service itself; by whatever name the console was opened, they come from there. */
export const pathOf = (url: string): string => {
  const { pathname } = new URL(url);
  return pathname.slice(pathname.lastIndexOf('/media/'));
};
