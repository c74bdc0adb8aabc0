import { ButtonBase } from '@mui/material'
import { LockSimple } from '@phosphor-icons/react/dist/csr/LockSimple'
import { useEffect, useRef, useState } from 'react'
import { Tip } from '../../ui/Tip'
import { Text } from '../../ui/Text'

/** A name that is edited in place: a double click or F2. */
export function Name({ value, done, label, drag }: { value: string; done: (v: string) => void; label: string; drag: string }) {
  const [text, setText] = useState<string | null>(null)
  const box = useRef<HTMLSpanElement>(null)
  useEffect(() => {
    const row = box.current?.closest<HTMLElement>('[data-row]')
    const f2 = (e: KeyboardEvent) => e.key === 'F2' && e.target === row && setText(value)
    row?.addEventListener('keydown', f2)
    return () => row?.removeEventListener('keydown', f2)
  }, [value])
  return (
    <Tip title={value}>
      <span ref={box} className="name" onDoubleClick={() => setText(value)} draggable={text === null} onDragStart={(e) => e.dataTransfer.setData('text/x-willowherb', drag)}>
        {text === null ? (
          value
        ) : (
          <Text
            autoFocus
            label={label}
            value={text}
            max={80}
            onFocus={(e) => e.target.select()}
            onChange={(e) => setText(e.target.value)}
            onBlur={() => {
              done(text)
              setText(null)
            }}
            onKeyDown={(e) => {
              e.stopPropagation()
              if (e.key === 'Enter') (e.target as HTMLElement).blur()
              if (e.key === 'Escape') setText(null)
            }}
          />
        )}
      </span>
    </Tip>
  )
}

/** Lock is seen where a row is locked, or under the pointer. */
export function Lock({ name, locked, toggle, current }: { current: boolean; name: string; locked: boolean; toggle: () => void }) {
  return (
    <Tip title={locked ? 'Unlock (K)' : 'Lock: hands and fields leave it alone (K)'}>
      <ButtonBase
        tabIndex={current ? 0 : -1}
        className={`lock${locked ? '' : ' open'}`}
        aria-label={`${name} locked`}
        aria-pressed={locked}
        onClick={(e) => {
          e.stopPropagation()
          toggle()
        }}
      >
        <LockSimple size={11} />
      </ButtonBase>
    </Tip>
  )
}
