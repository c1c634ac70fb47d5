'use client';
import { createTheme } from '@mui/material/styles';

const light = {
  paper: '#F7F4EC',
  leaf: '#FDFCF8',
  hairline: '#DDD6C6',
  ink: '#1E2A28',
  soft: '#5A6662',
  spruce: '#1F5A50',
  onSpruce: '#FDFCF8',
  brass: '#8A5D10',
  rust: '#A63D2F',
};
const dark: typeof light = {
  paper: '#1A1F1E',
  leaf: '#202725',
  hairline: '#37403C',
  ink: '#E9E4D7',
  soft: '#A5ADA6',
  spruce: '#7CC0AE',
  onSpruce: '#14201D',
  brass: '#D9A851',
  rust: '#E58A77',
};

const palette = (c: typeof light) => ({
  primary: { main: c.spruce, contrastText: c.onSpruce },
  secondary: { main: c.brass },
  error: { main: c.rust },
  warning: { main: c.brass },
  success: { main: c.spruce },
  background: { default: c.paper, paper: c.leaf },
  text: { primary: c.ink, secondary: c.soft },
  divider: c.hairline,
});

/** MUI made to look like ours: hairlines instead of shadows, no ripple, no capitals, 13 px, radius 6. */
export const theme = createTheme({
  cssVariables: { colorSchemeSelector: '[data-mode="%s"]' },
  colorSchemes: { light: { palette: palette(light) }, dark: { palette: palette(dark) } },
  shape: { borderRadius: 6 },
  typography: {
    fontFamily: "'Commissioner Variable', sans-serif",
    fontSize: 13,
    htmlFontSize: 14,
    button: { textTransform: 'none', fontWeight: 600 },
  },
  components: {
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiTabs: { styleOverrides: { root: { minHeight: 34, borderBottom: '1px solid var(--hairline)' } } },
    MuiTab: {
      styleOverrides: { root: { minHeight: 34, minWidth: 0, padding: '6px 12px', fontSize: 13, fontWeight: 600 } },
    },
    MuiButton: {
      defaultProps: { disableElevation: true, size: 'small' },
      styleOverrides: {
        root: { minHeight: 28, padding: '2px 12px', fontSize: 13, lineHeight: '20px', minWidth: 0 },
        outlined: { borderColor: 'var(--hairline)', color: 'var(--ink)', background: 'var(--leaf)' },
      },
    },
    MuiPaper: { defaultProps: { elevation: 0 }, styleOverrides: { root: { backgroundImage: 'none' } } },
    MuiDialog: {
      styleOverrides: { paper: { border: '1px solid var(--hairline)', borderRadius: 8, boxShadow: 'none' } },
    },
    MuiBackdrop: { styleOverrides: { root: { backgroundColor: 'rgb(30 42 40 / 0.28)' } } },
    MuiDialogTitle: { styleOverrides: { root: { fontSize: 15, fontWeight: 700, padding: '16px 20px 8px' } } },
    MuiDialogContent: { styleOverrides: { root: { padding: '8px 20px' } } },
    MuiDialogActions: { styleOverrides: { root: { padding: '12px 20px 16px' } } },
    MuiMenu: { styleOverrides: { paper: { border: '1px solid var(--hairline)', boxShadow: 'none' } } },
    MuiMenuItem: { styleOverrides: { root: { fontSize: 13, minHeight: 28, padding: '3px 12px' } } },
    MuiOutlinedInput: {
      styleOverrides: {
        root: { background: 'var(--leaf)', fontSize: 13, minHeight: 30 },
        input: { padding: '4px 10px', height: 21 },
        notchedOutline: { borderColor: 'var(--hairline)' },
      },
    },
    MuiSelect: {
      defaultProps: { size: 'small' },
      styleOverrides: { select: { padding: '4px 10px', minHeight: '0 !important' } },
    },
    MuiTextField: { defaultProps: { size: 'small' } },
    MuiAutocomplete: {
      styleOverrides: {
        paper: { border: '1px solid var(--hairline)' },
        listbox: { fontSize: 13, padding: '4px 0' },
        noOptions: { fontSize: 13, padding: '6px 12px' },
      },
    },
    MuiCheckbox: { defaultProps: { size: 'small' }, styleOverrides: { root: { padding: 4 } } },
    MuiTooltip: {
      styleOverrides: { tooltip: { background: 'var(--ink)', color: 'var(--paper)', fontSize: 12, fontWeight: 400 } },
    },
  },
});
