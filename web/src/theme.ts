import { createTheme } from '@mui/material'

/** The greys have no hue, so that the eye judges the picture rightly; the accent marks only what is selected or active. */
export const theme = createTheme({
  palette: {
    mode: 'dark',
    primary: { main: '#d0568f' },
    background: { default: '#3b3b3b', paper: '#454545' },
    text: { primary: '#ededed', secondary: '#b4b4b4' },
  },
  typography: { fontFamily: "'Hanken Grotesk Variable', sans-serif", fontSize: 12, body1: { fontSize: 12.5, lineHeight: 1.35 }, button: { textTransform: 'none' } },
  shape: { borderRadius: 3 },
  components: {
    MuiSlider: {
      styleOverrides: {
        root: { color: '#9a9a9a', height: 2, padding: '9px 0', borderRadius: 1 },
        rail: { opacity: 1, backgroundColor: '#6b6b6b' },
        thumb: { width: 5, height: 12, borderRadius: 1.5, backgroundColor: '#f0f0f0', '&:hover, &.Mui-focusVisible, &.Mui-active': { boxShadow: '0 0 0 2px #d0568f' }, '&::before, &::after': { display: 'none' } },
        mark: { height: 8, width: 1, backgroundColor: '#8b8b8b' },
      },
    },
    MuiTooltip: { defaultProps: { enterDelay: 400, disableInteractive: true }, styleOverrides: { tooltip: { backgroundColor: '#1f1f1f', fontSize: 12, fontWeight: 400 } } },
    MuiButtonBase: { defaultProps: { disableRipple: true } },
    MuiSnackbarContent: { styleOverrides: { root: { backgroundColor: '#1f1f1f', color: '#ededed', fontSize: 12.5 } } },
    MuiPaper: { styleOverrides: { root: { backgroundImage: 'none' } } },
  },
})
