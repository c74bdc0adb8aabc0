import { Tooltip, type TooltipProps } from '@mui/material'
import { over } from './over'

/** Tip says more of what it stands on, with its key; it describes, and does not rename. */
export function Tip({ title, ...rest }: TooltipProps) {
  return <Tooltip describeChild title={title ? <>{title}</> : ''} {...rest} slotProps={{ popper: { container: over } }} />
}
