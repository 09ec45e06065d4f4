import { SvgIcon, type SvgIconProps } from '@mui/material';

/** An icon of `@mdi/js`, which has each as the outline of one path. */
export function Icon({ outline, ...rest }: SvgIconProps & { readonly outline: string }) {
  return (
    <SvgIcon {...rest}>
      <path d={outline} />
    </SvgIcon>
  );
}
