import '@fontsource-variable/hanken-grotesk'
import { CssBaseline, StyledEngineProvider, ThemeProvider } from '@mui/material'
import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { lazy, Suspense } from 'react'
import { createRoot } from 'react-dom/client'
import './app.css'
import { App } from './shell/App'
import { theme } from './ui/theme'

const Tips = lazy(() => import('./ui/Tips'))

const queries = new QueryClient({ defaultOptions: { queries: { staleTime: 60_000, retry: 5 } } })

createRoot(document.getElementById('root') as HTMLElement).render(
  <StyledEngineProvider injectFirst>
    <ThemeProvider theme={theme}>
      <CssBaseline />
      <QueryClientProvider client={queries}>
        <App />
        <Suspense fallback={null}>
          <Tips />
        </Suspense>
      </QueryClientProvider>
    </ThemeProvider>
  </StyledEngineProvider>,
)
