import { Button } from '@mui/material'
import { ErrorBoundary } from 'react-error-boundary'

/** Safe keeps a fault in one part of the bench from taking the others with it: it says so in its place, and can be tried again. */
export function Safe({ of, children }: { of: string; children: React.ReactNode }) {
  return (
    <ErrorBoundary
      fallbackRender={({ error, resetErrorBoundary }) => (
        <div className="broken" role="alert">
          <p>
            <b>{of} has met a fault and cannot be drawn.</b> The other parts go on; nothing that was edited is lost.
          </p>
          <p className="quiet">{error instanceof Error ? error.message : String(error)}</p>
          <Button variant="outlined" onClick={resetErrorBoundary}>
            Draw it again
          </Button>
        </div>
      )}
    >
      {children}
    </ErrorBoundary>
  )
}
