import { createTheme } from '@mui/material'
import { over } from './over'

declare module '@mui/material/Button' {
  interface ButtonPropsVariantOverrides {
    menu: true
  }
}

/** The greys have no hue, so that the eye judges the picture rightly; from the darkest ground to the brightest text. */
export const greys = { g0: '#1f1f1f', g1: '#262626', g2: '#2f2f2f', g3: '#363636', g4: '#454545', line: '#4a4a4a', g5: '#5a5a5a', g6: '#868686', faint: '#a8a8a8', soft: '#bdbdbd', text: '#ededed', bright: '#ffffff' } as const

/** The accent marks only what is chosen or active; chosen is the ground of such a row. */
export const marks = { accent: '#e0669f', chosen: '#4b3d44' } as const

/** Sizes of type, in pixels. */
export const type = { small: 12, body: 12.5, head: 13.5, large: 15 } as const

/** least is the smallest side of what can be pressed, in pixels. */
const least = 24

const plain = { font: 'inherit', color: 'inherit', letterSpacing: 'inherit', lineHeight: 'inherit', textTransform: 'none' } as const
const field = { backgroundColor: greys.g1, border: `1px solid ${greys.line}`, borderRadius: 3, minHeight: least, boxSizing: 'border-box' } as const

/** theme is how the library's components look here. */
export const theme = createTheme({
  palette: {
    mode: 'dark',
    primary: { main: marks.accent },
    background: { default: greys.g3, paper: greys.g4 },
    text: { primary: greys.text, secondary: greys.soft },
  },
  typography: { fontFamily: "'Hanken Grotesk Variable', sans-serif", fontSize: type.small, body1: { fontSize: type.body, lineHeight: 1.35 }, button: { textTransform: 'none' } },
  shape: { borderRadius: 3 },
  transitions: { duration: { shortest: 80, shorter: 80, short: 80, standard: 100, complex: 100, enteringScreen: 100, leavingScreen: 80 } },
  components: {
    MuiCssBaseline: {
      styleOverrides: {
        ':root': Object.fromEntries(Object.entries({ ...greys, ...marks }).map(([k, v]) => [`--${k}`, v])),
        body: { fontSize: type.body, lineHeight: 1.35, fontVariantNumeric: 'tabular-nums', userSelect: 'none' },
        b: { fontWeight: 650 },
        ':focus-visible': { outline: `2px solid ${marks.accent}`, outlineOffset: -2, borderRadius: 2 },
      },
    },
    MuiButtonBase: { defaultProps: { disableRipple: true }, styleOverrides: { root: { ...plain, display: 'inline-block', textAlign: 'left', '&.Mui-disabled': { color: greys.faint } } } },
    MuiButton: {
      defaultProps: { disableElevation: true },
      styleOverrides: {
        root: {
          ...plain,
          minWidth: 0,
          minHeight: least,
          padding: 0,
          color: greys.soft,
          whiteSpace: 'nowrap',
          '&:hover': { color: greys.bright, backgroundColor: 'transparent' },
          variants: [
            { props: { variant: 'text' }, style: { textDecoration: 'underline', textUnderlineOffset: 2, '&:hover': { textDecoration: 'underline', textUnderlineOffset: 2 } } },
            { props: { variant: 'outlined' }, style: { border: `1px solid ${greys.line}`, padding: '2px 12px', color: greys.text, '&:hover': { borderColor: greys.soft, color: greys.bright } } },
          ],
        },
      },
    },
    MuiIconButton: { styleOverrides: { root: { display: 'inline-flex', minWidth: 28, height: 28, padding: '0 5px', borderRadius: 4, color: greys.soft, justifyContent: 'center', '&:hover': { color: greys.bright }, '&[aria-pressed=true]': { color: marks.accent } } } },
    MuiToggleButtonGroup: { styleOverrides: { root: { border: `1px solid ${greys.line}`, overflow: 'hidden', width: 'fit-content' }, grouped: { margin: 0, border: 0, borderRadius: 0, '& + &': { borderLeft: `1px solid ${greys.line}` } } } },
    MuiToggleButton: { styleOverrides: { root: { ...plain, minHeight: least, minWidth: least, padding: '2px 7px', border: 0, color: greys.soft, '&:hover': { color: greys.bright, backgroundColor: 'transparent' }, '&.Mui-selected, &.Mui-selected:hover': { backgroundColor: greys.g5, color: greys.bright } } } },
    MuiInputBase: { styleOverrides: { root: { ...plain }, input: { padding: 0, height: 'auto' } } },
    MuiSelect: { defaultProps: { variant: 'standard', disableUnderline: true }, styleOverrides: { root: field, select: { padding: '1px 18px 1px 6px', minHeight: 0, lineHeight: '20px' }, icon: { right: 0, fontSize: 18 } } },
    MuiAutocomplete: { styleOverrides: { inputRoot: { padding: 0 }, option: { minHeight: least } } },
    MuiTabs: { styleOverrides: { root: { minHeight: 32 }, indicator: { height: 2 } } },
    MuiTab: { styleOverrides: { root: { ...plain, minHeight: 32, minWidth: 0, padding: '6px 10px', color: greys.soft, '&.Mui-selected': { color: greys.bright } } } },
    MuiChip: { styleOverrides: { root: { height: least, fontSize: type.small, backgroundColor: greys.g4, '& .MuiChip-deleteIcon': { fontSize: 15, color: greys.soft } }, outlined: { backgroundColor: 'transparent', borderColor: greys.line, color: greys.soft } } },
    MuiTableCell: { styleOverrides: { root: { font: 'inherit', color: 'inherit', padding: '1px 3px 1px 0', borderBottom: 0, lineHeight: 'inherit' }, head: { color: greys.soft, borderBottom: `1px solid ${greys.line}` } } },
    MuiSlider: {
      styleOverrides: {
        root: { color: greys.faint, height: 2, padding: '9px 0', borderRadius: 1 },
        rail: { opacity: 1, backgroundColor: greys.g6 },
        // The knob is 5 wide; what can be touched, 24.
        thumb: { width: least, height: least, borderRadius: 0, backgroundColor: 'transparent', boxShadow: 'none', '&:hover, &.Mui-focusVisible, &.Mui-active': { boxShadow: 'none' }, '&::after': { display: 'none' }, '&::before': { content: '""', width: 5, height: 12, borderRadius: 1.5, backgroundColor: greys.text, boxShadow: 'none' }, '&:hover::before, &.Mui-focusVisible::before, &.Mui-active::before': { boxShadow: `0 0 0 2px ${marks.accent}` } },
        mark: { height: 8, width: 1, backgroundColor: greys.g6 },
      },
    },
    MuiTooltip: { defaultProps: { enterDelay: 400, disableInteractive: true }, styleOverrides: { tooltip: { backgroundColor: greys.g0, fontSize: type.small, fontWeight: 400 } } },
    MuiModal: { defaultProps: { container: over } },
    // Gone at once: what fades would still take the next click.
    MuiPopover: { defaultProps: { container: over, transitionDuration: { enter: 80, exit: 0 } } },
    MuiPopper: { defaultProps: { container: over } },
    MuiDialog: { defaultProps: { container: over } },
    MuiMenu: { defaultProps: { container: over, transitionDuration: { enter: 80, exit: 0 } } },
    MuiMenuItem: { styleOverrides: { root: { fontSize: type.body, minHeight: 28 } } },
    MuiSnackbarContent: { styleOverrides: { root: { backgroundColor: greys.g0, color: greys.text, fontSize: type.body } } },
    MuiPaper: { styleOverrides: { root: { backgroundImage: 'none' } } },
  },
})
