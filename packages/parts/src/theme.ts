import { createTheme, type Theme } from '@mui/material/styles';
import type { Mode } from './mode';

const PAPER = {
  light: {
    paper: '#F6F3EC',
    sheet: '#FFFDF8',
    ink: '#22303A',
    pencil: '#5E6B73',
    hairline: '#DCD6C8',
    rain: '#2C6C8C',
    moss: '#47734A',
    rust: '#A6402C',
    ochre: '#8F5E14',
  },
  dark: {
    paper: '#12191E',
    sheet: '#19232A',
    ink: '#E6E1D6',
    pencil: '#9AA7AE',
    hairline: '#2C3942',
    rain: '#7DB6D2',
    moss: '#8DBB8F',
    rust: '#E08A76',
    ochre: '#D9A455',
  },
} as const;

/** The component library in paper and ink. Everything else takes the same colours from CSS variables. */
export function themeOf(mode: Mode): Theme {
  const colours = PAPER[mode];
  return createTheme({
    palette: {
      mode,
      primary: { main: mode === 'light' ? colours.ink : colours.ink, contrastText: colours.paper },
      error: { main: colours.rust },
      warning: { main: colours.ochre },
      success: { main: colours.moss },
      info: { main: colours.rain },
      background: { default: colours.paper, paper: colours.sheet },
      text: { primary: colours.ink, secondary: colours.pencil },
      divider: colours.hairline,
    },
    shape: { borderRadius: 3 },
    typography: { fontFamily: "'Schibsted Grotesk', system-ui, sans-serif", fontSize: 14, button: { textTransform: 'none', fontWeight: 600 } },
    transitions: { create: () => 'none' },
    components: {
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: { defaultProps: { size: 'small', disableElevation: true } },
      MuiTextField: { defaultProps: { size: 'small', variant: 'standard', fullWidth: true } },
      MuiDialog: { defaultProps: { maxWidth: 'md', fullWidth: true } },
      MuiPaper: { styleOverrides: { root: { backgroundImage: 'none' } } },
    },
  });
}
