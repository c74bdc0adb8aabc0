import { ToggleButton, ToggleButtonGroup } from '@mui/material'
import { Tip } from './Tip'

interface Option<T extends string> {
  value: T
  words: React.ReactNode
  says?: string
}

/** Choice is one of a few: a radio group, one tab stop, gone through by arrows. */
export function Choice<T extends string>({ label, value, options, change, stacked = false }: { label: string; value: T; options: Option<T>[]; change: (v: T) => void; stacked?: boolean }) {
  const keys = (e: React.KeyboardEvent<HTMLElement>) => {
    const by = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key]
    if (by === undefined) return
    e.preventDefault()
    e.stopPropagation()
    const at = (options.findIndex((o) => o.value === value) + by + options.length) % options.length
    const to = options[at]
    if (!to) return
    change(to.value)
    e.currentTarget.querySelectorAll<HTMLElement>('[role=radio]')[at]?.focus()
  }
  const there = options.some((o) => o.value === value)
  return (
    <ToggleButtonGroup exclusive role="radiogroup" aria-label={label} className="choice" orientation={stacked ? 'vertical' : 'horizontal'} value={value} onChange={(_, v: T | null) => v !== null && v !== value && change(v)} onKeyDown={keys}>
      {options.map((o, i) => (
        <ToggleButton key={o.value} value={o.value} role="radio" aria-checked={o.value === value} aria-pressed={undefined} tabIndex={o.value === value || (!there && i === 0) ? 0 : -1} {...(o.says ? { 'data-tip': o.says } : {})}>
          {o.words}
        </ToggleButton>
      ))}
    </ToggleButtonGroup>
  )
}

/** OnOff is a switch that says in words how it stands. */
export function OnOff({ label, on, words, says, change }: { label?: string; on: boolean; words: string; says?: string; change: () => void }) {
  const button = (
    <ToggleButton className="on-off" value="on" selected={on} role="switch" aria-checked={on} aria-pressed={undefined} aria-label={label} onChange={change}>
      {words}
    </ToggleButton>
  )
  return says ? <Tip title={says}>{button}</Tip> : button
}
