import { createTheme } from '@mui/material'
import { over } from './over'

/** The greys have no hue, so that the eye judges the picture rightly; the accent marks only what is selected or active. */
export const theme = createTheme({
  palette: {
    mode: 'dark',
    primary: { main: '#e0669f' },
    background: { default: '#363636', paper: '#454545' },
    text: { primary: '#ededed', secondary: '#bdbdbd' },
  },
  typography: { fontFamily: "'Hanken Grotesk Variable', sans-serif", fontSize: 12, body1: { fontSize: 12.5, lineHeight: 1.35 }, button: { textTransform: 'none' } },
  shape: { borderRadius: 3 },
  transitions: { duration: { shortest: 80, shorter: 80, short: 80, standard: 100, complex: 100, enteringScreen: 100, leavingScreen: 80 } },
  components: {
    MuiSlider: {
      styleOverrides: {
        root: { color: '#9a9a9a', height: 2, padding: '9px 0', borderRadius: 1 },
        rail: { opacity: 1, backgroundColor: '#6b6b6b' },
        // The knob is 5 wide; what can be touched, 24.
        thumb: { width: 24, height: 24, borderRadius: 0, backgroundColor: 'transparent', boxShadow: 'none', '&:hover, &.Mui-focusVisible, &.Mui-active': { boxShadow: 'none' }, '&::after': { display: 'none' }, '&::before': { content: '""', width: 5, height: 12, borderRadius: 1.5, backgroundColor: '#f0f0f0', boxShadow: 'none' }, '&:hover::before, &.Mui-focusVisible::before, &.Mui-active::before': { boxShadow: '0 0 0 2px #e0669f' } },
        mark: { height: 8, width: 1, backgroundColor: '#8b8b8b' },
      },
    },
    MuiTooltip: { defaultProps: { enterDelay: 400, disableInteractive: true }, styleOverrides: { tooltip: { backgroundColor: '#1f1f1f', fontSize: 12, fontWeight: 400 } } },
    MuiIconButton: { styleOverrides: { root: { minWidth: 28, height: 28, padding: '0 5px', borderRadius: 4, color: '#bdbdbd', '&:hover': { color: '#ffffff' }, '&[aria-pressed=true]': { color: '#e0669f' } } } },
    MuiModal: { defaultProps: { container: over } },
    MuiPopover: { defaultProps: { container: over } },
    MuiDialog: { defaultProps: { container: over } },
    MuiMenu: { defaultProps: { container: over } },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiSnackbarContent: { styleOverrides: { root: { backgroundColor: '#1f1f1f', color: '#ededed', fontSize: 12.5 } } },
    MuiPaper: { styleOverrides: { root: { backgroundImage: 'none' } } },
  },
})
