import { InputBase, type InputBaseProps } from '@mui/material'

interface Props extends Omit<InputBaseProps, 'slotProps'> {
  label?: string
  /** Letters at most. */
  max?: number
  /** More for the input itself, where it is part of something else. */
  attributes?: object
}

/** Text is a line of text to write. */
export function Text({ label, className = '', max, attributes, ...rest }: Props) {
  return <InputBase className={`text ${className}`} slotProps={{ input: { ...attributes, 'aria-label': label, maxLength: max, spellCheck: false } }} {...rest} />
}
