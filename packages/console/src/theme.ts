import { createTheme } from '@mui/material/styles';

/** For whoever asked their system for less motion: what changes, changes at once, and what turns stands still. */
const STILL = {
  '@media (prefers-reduced-motion: reduce)': {
    '*, *::before, *::after': {
      animationDuration: '0.01ms !important',
      animationIterationCount: '1 !important',
      transitionDuration: '0.01ms !important',
      scrollBehavior: 'auto !important',
    },
  },
};

const FONT = '"Source Sans 3 Variable", system-ui, sans-serif';

/** Canal teal, brass, paper and ink; hairlines rather than shadows. */
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: 'data' },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: '#1F6F6B' },
        secondary: { main: '#8A6417' },
        warning: { main: '#8F4E00' },
        background: { default: '#FAF8F3', paper: '#FFFFFF' },
        text: { primary: '#22302F', secondary: '#566462' },
        divider: '#DDD8CB',
      },
    },
    dark: {
      palette: {
        primary: { main: '#6CC0B8' },
        secondary: { main: '#D9B067' },
        error: { main: '#E98F86', contrastText: '#231513' },
        background: { default: '#141B1B', paper: '#1B2424' },
        text: { primary: '#E6EBE8', secondary: '#9DABA8' },
        divider: '#33403F',
      },
    },
  },
  shape: { borderRadius: 6 },
  typography: {
    fontFamily: FONT,
    fontSize: 14.5,
    h1: { fontSize: '1.5rem', fontWeight: 650 },
    h2: { fontSize: '1.1rem', fontWeight: 650 },
    button: { textTransform: 'none', fontWeight: 600 },
  },
  components: {
    MuiCssBaseline: { styleOverrides: STILL },
    MuiPaper: { defaultProps: { elevation: 0 }, styleOverrides: { root: { backgroundImage: 'none' } } },
    MuiCard: { defaultProps: { variant: 'outlined' } },
    MuiButton: { defaultProps: { disableElevation: true, size: 'small' } },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiLink: { defaultProps: { underline: 'hover' } },
    MuiDialog: { defaultProps: { slotProps: { paper: { variant: 'outlined' } } } },
  },
});
