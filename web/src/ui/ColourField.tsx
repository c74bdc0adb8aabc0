import { InputBase } from '@mui/material'
import { useEffect, useRef } from 'react'
import { hexToLinear } from './colour'

interface Props {
  label: string
  hex: string
  onDraft: (rgb: [number, number, number]) => void
  onDone: (rgb: [number, number, number]) => void
}

/** ColourField is the browser's colour picker: what is tried in it is a draft, what it is left at is one edit. */
export function ColourField({ label, hex, onDraft, onDone }: Props) {
  const box = useRef<HTMLInputElement>(null)
  const last = useRef({ onDraft, onDone, tried: '' })
  last.current.onDraft = onDraft
  last.current.onDone = onDone
  useEffect(() => {
    const el = box.current
    const keep = last.current
    if (!el) return
    const done = () => {
      const tried = keep.tried
      keep.tried = ''
      if (tried) keep.onDone(hexToLinear(tried))
    }
    // React's own change event fires at every step: the browser's fires when the picker is left.
    el.addEventListener('change', done)
    return () => {
      el.removeEventListener('change', done)
      done()
    }
  }, [])
  return (
    <InputBase
      className="colour"
      type="color"
      inputRef={box}
      slotProps={{ input: { 'aria-label': label } }}
      value={hex}
      onInput={(e) => {
        last.current.tried = (e.target as HTMLInputElement).value
        last.current.onDraft(hexToLinear((e.target as HTMLInputElement).value))
      }}
      onChange={() => undefined}
    />
  )
}
