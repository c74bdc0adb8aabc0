import { Tooltip } from '@mui/material'
import { useEffect, useState } from 'react'
import { over } from './over'
import type { Placement } from './Tip'

interface Shown {
  of: HTMLElement
  x: number
  y: number
}

const patience = 400 // ms that the pointer rests before a tip is shown

/** Tips shows the tip of what the pointer or the keyboard has come to: one for the whole page, since a tooltip for each of a hundred rows is slow to draw. */
export default function Tips() {
  const [shown, setShown] = useState<Shown | null>(null)
  useEffect(() => {
    let waiting: ReturnType<typeof setTimeout> | undefined
    let of: HTMLElement | null = null
    const end = () => {
      clearTimeout(waiting)
      of?.removeAttribute('aria-describedby')
      of = null
      setShown(null)
    }
    const begin = (el: HTMLElement | null, x: number, y: number, after: number) => {
      if (el === of) return
      end()
      of = el
      if (!el) return
      waiting = setTimeout(() => {
        if (!el.isConnected) return
        el.setAttribute('aria-describedby', 'tip')
        setShown({ of: el, x, y })
      }, after)
    }
    const tipped = (e: Event) => (e.target as Element | null)?.closest?.<HTMLElement>('[data-tip]') ?? null
    const enter = (e: PointerEvent) => e.pointerType !== 'touch' && begin(tipped(e), e.clientX, e.clientY, patience)
    const focus = (e: FocusEvent) => {
      const el = tipped(e)
      if (el && el === e.target && el.matches(':focus-visible')) begin(el, 0, 0, 0)
    }
    const escape = (e: KeyboardEvent) => e.key === 'Escape' && end()
    const away: [string, EventListener][] = ['pointerdown', 'focusout', 'wheel', 'dragstart'].map((k) => [k, end])
    document.addEventListener('pointerover', enter)
    document.addEventListener('focusin', focus)
    document.addEventListener('keydown', escape, true)
    for (const [k, f] of away) document.addEventListener(k, f, { capture: true, passive: true })
    document.documentElement.addEventListener('pointerleave', end)
    return () => {
      end()
      document.removeEventListener('pointerover', enter)
      document.removeEventListener('focusin', focus)
      document.removeEventListener('keydown', escape, true)
      for (const [k, f] of away) document.removeEventListener(k, f, { capture: true })
      document.documentElement.removeEventListener('pointerleave', end)
    }
  }, [])
  if (!shown?.of.isConnected) return null
  const d = shown.of.dataset
  const anchorEl = d.tipBy === 'pointer' ? { getBoundingClientRect: () => new DOMRect(shown.x, shown.y, 0, 0) } : shown.of
  return (
    <Tooltip id="tip" open describeChild title={d.tip} placement={d.tipAt as Placement} slotProps={{ popper: { container: over, anchorEl } }}>
      <span hidden />
    </Tooltip>
  )
}
