import '@fontsource-variable/hanken-grotesk'
import { CssBaseline, StyledEngineProvider, ThemeProvider } from '@mui/material'
import { QueryClientProvider } from '@tanstack/react-query'
import { lazy, Suspense } from 'react'
import { createRoot } from 'react-dom/client'
import './app.css'
import { App } from './shell/App'
import { theme } from './ui/theme'
import { queryClient } from './kernel/queryClient'

const Tips = lazy(() => import('./ui/Tips'))


createRoot(document.getElementById('root') as HTMLElement).render(
  <StyledEngineProvider injectFirst>
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <QueryClientProvider client={queryClient}>
        <App />
        <Suspense fallback={null}>
          <Tips />
        </Suspense>
      </QueryClientProvider>
    </ThemeProvider>
  </StyledEngineProvider>,
)
