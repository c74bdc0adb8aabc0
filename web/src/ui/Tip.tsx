import { Tooltip, type TooltipProps } from '@mui/material'

/** landmark is where tips are put, so that all that is on the page lies in a landmark. */
const landmark = () => document.querySelector('main') ?? document.body

/** Tip says more of what it stands on, with its key; it describes, and does not rename. */
export function Tip({ title, ...rest }: TooltipProps) {
  return <Tooltip describeChild title={title ? <>{title}</> : ''} {...rest} slotProps={{ popper: { container: landmark } }} />
}
